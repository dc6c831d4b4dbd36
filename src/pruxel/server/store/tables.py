"""The tables."""

from __future__ import annotations

import uuid
from datetime import datetime
from typing import Any

from sqlalchemy import BigInteger, Computed, DateTime, ForeignKey, Index, Integer, Text, UniqueConstraint, func, text
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

from pruxel.server.store.sealing import Sealed

Json = dict[str, Any]


class Base(DeclarativeBase):
    """Base of all tables."""

    type_annotation_map = {dict[str, Any]: JSONB, list[Any]: JSONB, str: Text, int: BigInteger}


class Project(Base):
    """A game or a job of work.

    `profile` is the YAML of what is known of the game, `profile_home` the folder that its patterns of files start
    from. `revision` counts up with every change to profile, keys, names or sources, so that caches know; `naming`
    with every change of aliases. `places` are those that removed sources had in the stack, by address.
    """

    __tablename__ = "projects"

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    name: Mapped[str]
    about: Mapped[str] = mapped_column(default="")
    profile: Mapped[str] = mapped_column(default="", server_default="")
    profile_home: Mapped[str | None]
    language: Mapped[str | None]
    revision: Mapped[int] = mapped_column(default=0, server_default="0")
    naming: Mapped[int] = mapped_column(default=0, server_default="0")
    places: Mapped[dict[str, Any]] = mapped_column(default=dict, server_default="{}")
    created: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())


class SourceRow(Base):
    """A mounted source; `position` orders the stack, higher wins. A folder's packs are rows of their own.

    `address` finds it again (`!` leads into packs), `stamp` tells whether it changed since it was read, `layer` groups
    it, `options` holds what reading it takes besides (chosen finds, leniency), `named` and `hashed` count entries
    whose names a pack leaves to lists.
    """

    __tablename__ = "sources"

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    project_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"), index=True)
    mount: Mapped[str]
    address: Mapped[str] = mapped_column(default="", server_default="")
    label: Mapped[str]
    kind: Mapped[str]
    position: Mapped[int]
    on: Mapped[bool] = mapped_column(default=True, server_default="true")
    layer: Mapped[str] = mapped_column(default="", server_default="")
    language: Mapped[str | None]
    state: Mapped[str] = mapped_column(default="waiting", server_default="waiting")
    stamp: Mapped[str] = mapped_column(default="", server_default="")
    options: Mapped[dict[str, Any]] = mapped_column(default=dict, server_default="{}")
    entries: Mapped[int] = mapped_column(default=0)
    size: Mapped[int] = mapped_column(default=0)
    named: Mapped[int] = mapped_column(default=0, server_default="0")
    hashed: Mapped[int] = mapped_column(default=0, server_default="0")
    problems: Mapped[list[Any]] = mapped_column(default=list)


class Slot(Base):
    """Entries of one source whose paths the same set of sources holds: the merged view is a choice of slots.

    Shadowing is the exception, so a project has few slots however many entries it has; switching or moving a source
    only changes which slots are chosen. `holders` are the ids of all sources that hold the paths, sorted.
    """

    __tablename__ = "slots"

    id: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=True)
    project_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"), index=True)
    source_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("sources.id", ondelete="CASCADE"), index=True)
    holders: Mapped[list[Any]]


class Folder(Base):
    """A folder of a project's paths."""

    __tablename__ = "folders"

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    project_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"))
    parent: Mapped[int | None]
    path: Mapped[str]

    __table_args__ = (
        UniqueConstraint("project_id", "path"),
        Index("folders_by_parent", "project_id", "parent", "path"),
        Index("folders_by_lower_path", "project_id", text("lower(path)")),
    )


class FolderCount(Base):
    """How much of one slot lies in a folder: files directly in it, files and bytes below it."""

    __tablename__ = "folder_counts"

    slot: Mapped[int] = mapped_column(Integer, ForeignKey("slots.id", ondelete="CASCADE"), primary_key=True)
    folder: Mapped[int] = mapped_column(ForeignKey("folders.id", ondelete="CASCADE"), primary_key=True)
    files: Mapped[int]
    below: Mapped[int]
    size: Mapped[int]

    __table_args__ = (Index("folder_counts_by_folder", "folder"),)


class FacetCount(Base):
    """How many entries of a slot are of a kind, variant class and size, by the digits of its number of bytes."""

    __tablename__ = "facet_counts"

    slot: Mapped[int] = mapped_column(Integer, ForeignKey("slots.id", ondelete="CASCADE"), primary_key=True)
    kind: Mapped[str] = mapped_column(primary_key=True)
    variant: Mapped[str] = mapped_column(primary_key=True)
    digits: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=False)
    number: Mapped[int]
    size: Mapped[int]


class EntryRow(Base):
    """One path of one source, in the slot that says who else holds it. Loaded by COPY, a million at a time.

    `lowered` is what words are searched in: telling letter case apart costs a tenth of disregarding it. No foreign
    keys: rows are removed with their source by one statement.
    """

    __tablename__ = "entries"

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    slot: Mapped[int] = mapped_column(Integer)
    folder: Mapped[int]
    path: Mapped[str]
    kind: Mapped[str]
    size: Mapped[int]
    stored: Mapped[int]
    stamp: Mapped[int]
    variant: Mapped[str] = mapped_column(default="", server_default="")
    picture: Mapped[str | None]
    lowered: Mapped[str] = mapped_column(Computed("lower(path)", persisted=True), deferred=True)

    __table_args__ = (
        Index("entries_by_path", "slot", "path"),
        Index("entries_by_kind", "slot", "kind", "path"),
        Index("entries_by_size", "slot", "size", "path"),
        Index("entries_by_kind_and_size", "slot", "kind", "size", "path"),
        Index("entries_by_folder", "slot", "folder"),
        Index("entries_by_name", "slot", text("split_part(lowered, '/'::text, '-1'::integer)")),
        Index("entries_by_variant", "slot", "variant", "path", postgresql_where=text("variant <> ''")),
        Index("entries_not_drawable", "slot", postgresql_where=text("picture = ''")),
    )


# Not of the tables' own making, since a large load takes it away and builds it anew afterwards.
WORD_INDEX = "CREATE INDEX {} entries_by_word ON entries USING gin (slot, kind, lowered gin_trgm_ops)"


class EntrySample(Base):
    """Some rows of a large slot, evenly spread, with the columns that searches judge by."""

    __tablename__ = "entry_samples"

    slot: Mapped[int] = mapped_column(Integer, ForeignKey("slots.id", ondelete="CASCADE"), primary_key=True)
    path: Mapped[str] = mapped_column(primary_key=True)
    folder: Mapped[int]
    kind: Mapped[str]
    size: Mapped[int]
    variant: Mapped[str]
    lowered: Mapped[str] = mapped_column(Computed("lower(path)", persisted=True), deferred=True)


class Mark(Base):
    """What a person says of a path: alias, note, star, seen. `folder` marks speak for everything below.

    `stamp` and `size` tell the content it was said of, so that it can follow an entry that moved.
    """

    __tablename__ = "marks"

    project_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"), primary_key=True)
    path: Mapped[str] = mapped_column(primary_key=True)
    folder: Mapped[bool] = mapped_column(default=False)
    alias: Mapped[str] = mapped_column(default="")
    note: Mapped[str] = mapped_column(default="")
    star: Mapped[bool] = mapped_column(default=False)
    seen: Mapped[bool] = mapped_column(default=False)
    origin: Mapped[str] = mapped_column(default="")
    stamp: Mapped[int | None]
    size: Mapped[int | None]


class KeyRow(Base):
    """A key of the project's ring. Its value never leaves the server; None when another installation sealed it."""

    __tablename__ = "keys"

    project_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"), primary_key=True)
    name: Mapped[str] = mapped_column(primary_key=True)
    value: Mapped[bytes | None] = mapped_column(Sealed, nullable=False)


class NameListRow(Base):
    """A list of paths for hashed names: uploaded, harvested or typed by hand; its text is a blob."""

    __tablename__ = "name_lists"

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    project_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"), index=True)
    label: Mapped[str]
    blob: Mapped[str]
    names: Mapped[int]
    dropped: Mapped[int] = mapped_column(default=0)


class SavedSearch(Base):
    """A search by name."""

    __tablename__ = "saved_searches"

    project_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"), primary_key=True)
    name: Mapped[str] = mapped_column(primary_key=True)
    query: Mapped[dict[str, Any]]


class Reference(Base):
    """A name that an entry's content mentions, and the path it leads to (null when nowhere)."""

    __tablename__ = "entry_references"

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    project_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"))
    path: Mapped[str]
    name: Mapped[str]
    target: Mapped[str | None]
    near: Mapped[list[Any]] = mapped_column(default=list)

    __table_args__ = (
        Index("references_by_path", "project_id", "path"),
        Index("references_by_target", "project_id", "target"),
    )


class Workpiece(Base):
    """Chosen entries; its steps are those of the revision it stands at. `settled` are findings that are meant so.

    `wears` says which entry stood in which slot as it was opened.
    """

    __tablename__ = "workpieces"

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    project_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"), index=True)
    name: Mapped[str]
    entries: Mapped[list[Any]]
    wears: Mapped[Json] = mapped_column(default=dict, server_default="{}")
    at: Mapped[int] = mapped_column(Integer, default=0, server_default="0")
    settled: Mapped[list[Any]] = mapped_column(default=list, server_default="[]")
    created: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())


class Revision(Base):
    """The steps that a workpiece had; number 0 has those that it was opened with."""

    __tablename__ = "workpiece_revisions"

    workpiece_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("workpieces.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=False)
    steps: Mapped[list[Any]]
    created: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())


class RecipeRow(Base):
    """A list of steps saved for other workpieces."""

    __tablename__ = "recipes"

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    project_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"), index=True)
    name: Mapped[str]
    steps: Mapped[list[Any]]
    created: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())


class View(Base):
    """What a workpiece came out as: facts, findings and blobs, by a key of inputs and steps."""

    __tablename__ = "views"

    key: Mapped[str] = mapped_column(primary_key=True)
    project_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"), index=True)
    content: Mapped[dict[str, Any]]
    used: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())


class Glance(Base):
    """What a quick look at a model, a skeleton or clips found, by a key of the entry's content."""

    __tablename__ = "glances"

    key: Mapped[str] = mapped_column(primary_key=True)
    project_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"), index=True)
    content: Mapped[dict[str, Any]]
    used: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())


class StoredScene(Base):
    """A scene in the store, by the key of what it comes from: its manifest is a blob that names the others.

    `size` is the bytes of all its blobs; the step's `words` (summary and numbers) come back with it.
    """

    __tablename__ = "stored_scenes"

    key: Mapped[str] = mapped_column(primary_key=True)
    manifest: Mapped[str]
    size: Mapped[int]
    words: Mapped[dict[str, Any]] = mapped_column(default=dict, server_default="{}")
    used: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now(), index=True)


class Job(Base):
    """Work in the background; `away` once a person put its row away."""

    __tablename__ = "jobs"

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    project_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"), index=True)
    kind: Mapped[str]
    title: Mapped[str]
    payload: Mapped[dict[str, Any]]
    status: Mapped[str] = mapped_column(default="queued", index=True)
    fraction: Mapped[float] = mapped_column(default=0.0)
    message: Mapped[str] = mapped_column(default="")
    fault: Mapped[dict[str, Any] | None]
    cancel: Mapped[bool] = mapped_column(default=False)
    away: Mapped[bool] = mapped_column(default=False, server_default="false")
    attempts: Mapped[int] = mapped_column(default=0)
    task: Mapped[int | None]
    created: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())
    ended: Mapped[datetime | None] = mapped_column(DateTime(timezone=True))

    __table_args__ = (Index("jobs_by_key", "project_id", "kind", text("(payload->>'key')")),)


class KeptPurpose(Base):
    """A purpose of deliveries that somebody keeps under a name, for all projects."""

    __tablename__ = "purposes"

    name: Mapped[str] = mapped_column(primary_key=True)
    purpose: Mapped[dict[str, Any]]


class Delivery(Base):
    """Files written from workpieces; `folder` and `archive` are set when the job is done.

    `also` are further ones beside the first: their identifiers, names, entries and steps at that time.
    """

    __tablename__ = "deliveries"

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    project_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"), index=True)
    workpiece_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("workpieces.id", ondelete="CASCADE"))
    job_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("jobs.id", ondelete="SET NULL"))
    name: Mapped[str]
    formats: Mapped[list[Any]]
    options: Mapped[dict[str, Any]] = mapped_column(default=dict, server_default="{}")
    plan: Mapped[dict[str, Any]] = mapped_column(default=dict, server_default="{}")
    below: Mapped[str] = mapped_column(default="", server_default="")
    steps: Mapped[list[Any]]
    also: Mapped[list[Any]] = mapped_column(default=list, server_default="[]")
    report: Mapped[dict[str, Any] | None]
    folder: Mapped[str | None]
    archive: Mapped[str | None]
    archive_size: Mapped[int] = mapped_column(default=0)
    created: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())

    __table_args__ = (UniqueConstraint("job_id"),)

"""The tables."""

from __future__ import annotations

import uuid
from datetime import datetime
from typing import Any

from sqlalchemy import BigInteger, DateTime, ForeignKey, Index, Text, UniqueConstraint, func
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

Json = dict[str, Any]


class Base(DeclarativeBase):
    """Base of all tables."""

    type_annotation_map = {dict[str, Any]: JSONB, list[Any]: JSONB, str: Text, int: BigInteger}


class Project(Base):
    """A game or a job of work."""

    __tablename__ = "projects"

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    name: Mapped[str]
    about: Mapped[str] = mapped_column(default="")
    created: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())


class SourceRow(Base):
    """A mounted source; `position` orders the stack, higher wins. A folder's packs are rows of their own."""

    __tablename__ = "sources"

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    project_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"), index=True)
    mount: Mapped[str]
    label: Mapped[str]
    kind: Mapped[str]
    position: Mapped[int]
    entries: Mapped[int] = mapped_column(default=0)
    size: Mapped[int] = mapped_column(default=0)
    problems: Mapped[list[Any]] = mapped_column(default=list)


class EntryRow(Base):
    """One path of one source. `wins` marks the one that the merged view shows."""

    __tablename__ = "entries"

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    project_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"))
    source_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("sources.id", ondelete="CASCADE"), index=True)
    path: Mapped[str]
    kind: Mapped[str]
    size: Mapped[int]
    wins: Mapped[bool] = mapped_column(default=True)
    picture: Mapped[str | None]

    __table_args__ = (Index("entries_by_path", "project_id", "wins", "path"),)


class Workpiece(Base):
    """Chosen entries and steps; `past` and `future` are the lists of steps that undo and redo go to."""

    __tablename__ = "workpieces"

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    project_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"), index=True)
    name: Mapped[str]
    entries: Mapped[list[Any]]
    steps: Mapped[list[Any]] = mapped_column(default=list)
    past: Mapped[list[Any]] = mapped_column(default=list)
    future: Mapped[list[Any]] = mapped_column(default=list)
    created: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())


class View(Base):
    """What a workpiece came out as: facts, findings and blobs, by a key of inputs and steps."""

    __tablename__ = "views"

    key: Mapped[str] = mapped_column(primary_key=True)
    project_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"), index=True)
    content: Mapped[dict[str, Any]]


class Job(Base):
    """Work in the background."""

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
    attempts: Mapped[int] = mapped_column(default=0)
    heartbeat: Mapped[datetime | None] = mapped_column(DateTime(timezone=True))
    created: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())


class Delivery(Base):
    """Files written from a workpiece; `folder` and `archive` are set when the job is done."""

    __tablename__ = "deliveries"

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    project_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"), index=True)
    workpiece_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("workpieces.id", ondelete="CASCADE"))
    job_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("jobs.id", ondelete="SET NULL"))
    name: Mapped[str]
    formats: Mapped[list[Any]]
    steps: Mapped[list[Any]]
    report: Mapped[dict[str, Any] | None]
    folder: Mapped[str | None]
    archive: Mapped[str | None]
    archive_size: Mapped[int] = mapped_column(default=0)
    created: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())

    __table_args__ = (UniqueConstraint("job_id"),)

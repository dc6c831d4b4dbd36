"""One project as one file: what a person made of a game, without the game's own bytes, keys, or what is made again.

A ZIP with `project.json` and the lists of names. A restored project is a new one: its sources are read from where they
lie on the machine that it comes to.
"""

from __future__ import annotations

import uuid
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError
from sqlalchemy import select
from sqlalchemy.orm import Session

from pruxel import __version__
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.disk.names import is_sound
from pruxel.core.recipe.document import StepUse
from pruxel.server.store.blobs import get_blob, put_blob
from pruxel.server.store.tables import (
    Mark,
    NameListRow,
    Project,
    RecipeRow,
    Revision,
    SavedSearch,
    SourceRow,
    Workpiece,
)

_DOCUMENT = "project.json"
_MOST_BYTES = 512 << 20
_AT = "@"


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid")


class KeptSource(_Part):
    """A source: where it lies and its place in the stack."""

    id: uuid.UUID
    mount: str
    address: str
    label: str
    kind: str
    position: int
    on: bool
    layer: str
    language: str | None
    options: dict[str, Any]


class KeptMark(_Part):
    """What was said of a path."""

    path: str
    folder: bool
    alias: str
    note: str
    star: bool
    seen: bool
    origin: str
    stamp: int | None
    size: int | None


class KeptNames(_Part):
    """A list of names; its text is the member `file`."""

    label: str
    names: int
    dropped: int
    file: str


class KeptSearch(_Part):
    """A saved search."""

    name: str
    query: dict[str, Any]


class KeptWorkpiece(_Part):
    """A workpiece with every revision that can be gone back to."""

    name: str
    entries: list[str]
    at: int
    revisions: dict[int, list[StepUse]]
    settled: list[str] = []
    wears: dict[str, str] = {}


class KeptRecipe(_Part):
    """A list of steps."""

    name: str
    steps: list[StepUse]


class Kept(_Part):
    """The whole of it."""

    backup: Literal[1] = 1
    version: str = __version__
    name: str
    about: str = ""
    profile: str = ""
    profile_home: str | None = None
    language: str | None = None
    sources: list[KeptSource] = Field(max_length=100_000)
    marks: list[KeptMark]
    names: list[KeptNames] = Field(max_length=10_000)
    searches: list[KeptSearch]
    workpieces: list[KeptWorkpiece]
    recipes: list[KeptRecipe]


def write_backup(db: Session, project: Project, target: Path) -> None:
    """Write a project into a file, which appears whole or not at all."""
    kept, texts = _kept(db, project)
    partial = target.with_name(f".{target.name}.partial")
    try:
        with zipfile.ZipFile(partial, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr(_DOCUMENT, kept.model_dump_json(indent=1))
            for name, data in texts:
                archive.writestr(name, data)
        partial.replace(target)
    finally:
        partial.unlink(missing_ok=True)


def _kept(db: Session, project: Project) -> tuple[Kept, Iterator[tuple[str, bytes]]]:
    def rows(table: Any) -> list[Any]:  # noqa: ANN401 - a table
        return list(db.execute(select(table).where(table.project_id == project.id)).scalars())

    lists = rows(NameListRow)
    pieces = rows(Workpiece)
    revisions = {
        piece.id: db.execute(select(Revision).where(Revision.workpiece_id == piece.id)).scalars().all()
        for piece in pieces
    }
    kept = Kept(
        name=project.name,
        about=project.about,
        profile=project.profile,
        profile_home=project.profile_home,
        language=project.language,
        sources=[KeptSource(**_columns(row, KeptSource)) for row in rows(SourceRow)],
        marks=[KeptMark(**_columns(row, KeptMark)) for row in rows(Mark)],
        names=[
            KeptNames(label=row.label, names=row.names, dropped=row.dropped, file=f"names/{n}.txt")
            for n, row in enumerate(lists)
        ],
        searches=[KeptSearch(name=row.name, query=row.query) for row in rows(SavedSearch)],
        workpieces=[
            KeptWorkpiece(
                name=piece.name,
                entries=piece.entries,
                at=piece.at,
                revisions={one.number: one.steps for one in revisions[piece.id]},
                settled=piece.settled,
                wears=piece.wears,
            )
            for piece in pieces
        ],
        recipes=[KeptRecipe(name=row.name, steps=row.steps) for row in rows(RecipeRow)],
    )
    return kept, ((f"names/{n}.txt", get_blob(row.blob)) for n, row in enumerate(lists))


def _columns(row: Any, kind: type[BaseModel]) -> dict[str, Any]:  # noqa: ANN401 - a row
    return {name: getattr(row, name) for name in kind.model_fields}


def read_backup(db: Session, file: Path) -> tuple[Project, list[str]]:
    """A new project from a backup, and the places that its sources are to be read from. Raises `InputError`."""
    try:
        with zipfile.ZipFile(file) as archive:
            kept = _document(archive, file.name)
            texts = {names.file: _member(archive, names.file, file.name) for names in kept.names}
    except (zipfile.BadZipFile, KeyError, OSError, RuntimeError, NotImplementedError, ValueError) as error:
        raise InputError(
            ErrorCode.MALFORMED,
            f"this is no backup of a project ({type(error).__name__})",
            file=file.name,
            expected=f"a ZIP with {_DOCUMENT}",
            hint="Backups are made by 'pruxel project export'.",
        ) from error
    project = Project(
        name=kept.name[:120] or "restored",
        about=kept.about,
        profile=kept.profile,
        profile_home=kept.profile_home,
        language=kept.language,
    )
    db.add(project)
    db.flush()
    moved = {one.id: uuid.uuid4() for one in kept.sources}
    for one in kept.sources:
        given = one.model_dump() | {"id": moved[one.id], "state": "waiting", "problems": []}
        db.add(SourceRow(project_id=project.id, **given))
    db.add_all(Mark(project_id=project.id, **mark.model_dump()) for mark in kept.marks if is_sound(mark.path))
    for names in kept.names:
        blob = uuid.uuid4().hex
        put_blob(blob, texts[names.file])
        db.add(
            NameListRow(project_id=project.id, label=names.label, blob=blob, names=names.names, dropped=names.dropped)
        )
    db.add_all(SavedSearch(project_id=project.id, **search.model_dump()) for search in kept.searches)
    db.add_all(RecipeRow(project_id=project.id, **recipe.model_dump()) for recipe in kept.recipes)
    for piece in kept.workpieces:
        entries = [_at_its_source(path, moved) for path in piece.entries]
        known = {name: getattr(piece, name) for name in ("name", "at", "settled", "wears")}
        made = Workpiece(project_id=project.id, entries=entries, **known)
        db.add(made)
        db.flush()
        db.add_all(
            Revision(workpiece_id=made.id, number=n, steps=[step.model_dump() for step in steps])
            for n, steps in piece.revisions.items()
        )
    db.flush()
    return project, list(dict.fromkeys(one.mount for one in kept.sources))


def _member(archive: zipfile.ZipFile, name: str, file: str) -> bytes:
    if archive.getinfo(name).file_size > _MOST_BYTES:
        raise InputError(ErrorCode.BUDGET, "a part of the backup is too large", file=file, field=name)
    return archive.read(name)


def _document(archive: zipfile.ZipFile, file: str) -> Kept:
    try:
        return Kept.model_validate_json(_member(archive, _DOCUMENT, file))
    except ValidationError as error:
        first = error.errors()[0]
        newer = first["loc"] == ("backup",)
        raise InputError(
            ErrorCode.UNKNOWN_VERSION if newer else ErrorCode.MALFORMED,
            "the backup is from a newer version" if newer else "the backup does not hold together",
            file=file,
            field=".".join(str(part) for part in first["loc"]),
            expected=str(first["msg"]),
            hint="Nothing was changed.",
        ) from None


def _at_its_source(path: str, moved: dict[uuid.UUID, uuid.UUID]) -> str:
    """The entry of a path that names its source, which has another id now."""
    if not path.startswith(_AT):
        return path
    first, slash, rest = path[1:].partition("/")
    try:
        return f"{_AT}{moved[uuid.UUID(first)]}{slash}{rest}"
    except (ValueError, KeyError):
        return path

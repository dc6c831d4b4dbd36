"""Names that mean something: from the game's own tables, from the profile, and from lists of codes."""

from __future__ import annotations

import uuid
from collections import Counter
from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy import delete, text
from sqlalchemy.orm import Session

from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.knowledge.catalogue import names_by_code, read_pairs
from pruxel.core.knowledge.profile import GameTable
from pruxel.core.recipe.inputs import Opener
from pruxel.server.jobs.runner import job_kind
from pruxel.server.jobs.stacks import StoredStack, stored_entry, stored_stack
from pruxel.server.store.database import session
from pruxel.server.store.jobs import change_job
from pruxel.server.store.likes import escaped
from pruxel.server.store.marks import names_changed, places_of
from pruxel.server.store.stack_state import StackState
from pruxel.server.store.tables import Job, Mark

_PUT = text(
    """
    INSERT INTO marks (project_id, path, folder, alias, note, star, seen, origin)
    VALUES (:project, :path, :folder, :alias, :note, :star, false, :origin)
    ON CONFLICT (project_id, path) DO UPDATE SET alias = excluded.alias, origin = excluded.origin
    WHERE marks.alias = '' OR marks.origin NOT IN ('', 'list') OR (marks.origin = 'list' AND excluded.origin = 'list')
    """
)
# The origin of names that a person gave in bulk, from a list or a table: they yield only to those written by hand.
LISTED = "list"
_MOST_EACH = 500
_TRIED = 200
_SHOWN = 12
_GUESSED_BY = 40


@job_kind("aliases")
def aliases(job: Job, context: Context) -> None:
    """Give entries and folders the names that tables tell; what a person wrote stays."""
    stack = stored_stack(job.project_id)
    with session() as db:
        db.execute(
            delete(Mark).where(
                Mark.project_id == job.project_id, Mark.origin == "table", Mark.note == "", ~Mark.star, ~Mark.seen
            )
        )
        for table, part in context.each(list(stack.profile.spec.tables), lambda t: t.file):
            if table.folder is None:
                continue
            try:
                names = names_by_code(table, Opener(stack).rows(table.file, part))
            except InputError:
                continue
            for code, name in names.items():
                _alias(db, stack, table.folder.replace("{id}", code), name)
        for known in stack.profile.spec.aliases:
            _put(db, stack, known.path.removesuffix("/**"), known.alias, folder=known.path.endswith("/**"),
                 origin="profile", note=known.note, star=known.star)  # fmt: skip
        names_changed(db, job.project_id)


def _alias(db: Session, stack: StoredStack, pattern: str, name: str, origin: str = "table") -> int:
    """Give the name to all that the pattern means; returns how many that are."""
    places, folder = places_of(db, stack.state, pattern, _MOST_EACH)
    for place in places:
        _put(db, stack, place, name, folder=folder, origin=origin)
    return len(places)


def _put(db: Session, stack: StoredStack, path: str, alias: str, *, folder: bool, origin: str, **more: Any) -> None:  # noqa: ANN401
    values = {"project": stack.state.project, "path": path, "folder": folder, "alias": alias, "origin": origin}
    db.execute(_PUT, {"note": "", "star": False} | values | more)


@dataclass(frozen=True)
class Naming:
    """Names in bulk: `{id}` in `pattern` stands for a code. Codes and names are a table's columns or a text's lines."""

    pattern: str
    entry: int | None = None
    id_column: str = ""
    name_column: str = ""
    text: str = ""

    def names(self) -> dict[str, str]:
        """Name by code; raises `InputError` when the table or its columns are not there."""
        if self.entry is None:
            return read_pairs(self.text)
        row, stack = stored_entry(self.entry)
        table = GameTable(file=row.path, group="", id=self.id_column, name=self.name_column)
        return names_by_code(table, Opener(stack).rows(stack.pinned(row), Context()))


def try_naming(project: uuid.UUID, naming: Naming) -> dict[str, Any]:
    """How many codes there are, and what the first of them would name; nothing is changed. Raises `InputError`.

    Without a pattern the likely ones are proposed, and the first is tried.
    """
    names, stack = naming.names(), stored_stack(project)
    shown: list[dict[str, Any]] = []
    with session() as db:
        likely = [] if naming.pattern else likely_patterns(db, stack.state, list(names))
        if likely:
            naming = replace(naming, pattern=likely[0])
        for code, name in list(names.items())[: _TRIED if naming.pattern else 0]:
            places, _ = places_of(db, stack.state, naming.pattern.replace("{id}", code), _MOST_EACH)
            shown.append({"code": code, "name": name, "places": list(places[:3]), "number": len(places)})
    fitting = sum(bool(row["number"]) for row in shown)
    shown.sort(key=lambda row: not row["number"])
    told = {"codes": len(names), "tried": len(shown), "fitting": fitting, "rows": shown[:_SHOWN]}
    return told | {"pattern": naming.pattern, "likely": likely}


def likely_patterns(db: Session, state: StackState, codes: list[str]) -> list[str]:
    """Folders that end in one of the codes, as patterns: those that fit most codes first, and those with models."""
    found: Counter[str] = Counter()
    for code in codes[:_GUESSED_BY]:
        rows = db.execute(
            text(
                "SELECT f.path, EXISTS (SELECT 1 FROM entries e WHERE e.slot = ANY(:slots) AND e.folder = f.id "
                "AND e.kind = 'model') AS models FROM folders f WHERE f.project_id = :project AND f.path ILIKE :like "
                "ORDER BY f.path LIMIT 40"
            ),
            {"project": state.project, "slots": state.winning, "like": f"%{escaped(code)}"},
        )
        for path, models in rows:
            start = path[: -len(code)]
            if not (start[-1:].isalnum() and code[:1].isalpha()):
                found[f"{start}{{id}}/**"] += 2 if models else 1
    return [pattern for pattern, _ in sorted(found.items(), key=lambda one: (-one[1], one[0]))[:3]]


@job_kind("naming")
def name_in_bulk(job: Job, context: Context) -> None:
    """Give the names of a table or list; what a person wrote stays."""
    naming = Naming(**job.payload["naming"])
    stack, given = stored_stack(job.project_id), 0
    with session() as db:
        for (code, name), _ in context.each(list(naming.names().items()), lambda row: row[1]):
            given += _alias(db, stack, naming.pattern.replace("{id}", code), name, LISTED)
        change_job(db, job.id, payload=job.payload | {"given": given})
        names_changed(db, job.project_id)

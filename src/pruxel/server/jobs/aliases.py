"""Names that mean something, from the game's own tables and from the profile."""

from __future__ import annotations

from typing import Any

from sqlalchemy import delete, text
from sqlalchemy.orm import Session

from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.sources.catalogue import names_by_code, read_rows
from pruxel.server.jobs.runner import job_kind
from pruxel.server.jobs.stacks import StoredStack, stored_stack
from pruxel.server.store.database import session
from pruxel.server.store.jobs import tell
from pruxel.server.store.marks import found_by_pattern
from pruxel.server.store.tables import Job, Mark

_PUT = text(
    """
    INSERT INTO marks (project_id, path, folder, alias, note, star, seen, origin)
    VALUES (:project, :path, :folder, :alias, :note, :star, false, :origin)
    ON CONFLICT (project_id, path) DO UPDATE SET alias = excluded.alias, origin = excluded.origin
    WHERE marks.origin <> '' OR marks.alias = ''
    """
)


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
                names = names_by_code(table, read_rows(stack.read(table.file, part), table.file))
            except InputError:
                continue
            for code, name in names.items():
                _alias(db, stack, table.folder.replace("{id}", code), name)
        for known in stack.profile.spec.aliases:
            _put(db, stack, known.path.removesuffix("/**"), known.alias, folder=known.path.endswith("/**"),
                 origin="profile", note=known.note, star=known.star)  # fmt: skip
        tell(db, {"changed": "marks", "project_id": str(job.project_id)})


def _alias(db: Session, stack: StoredStack, pattern: str, name: str) -> None:
    place = pattern.removesuffix("/**")
    if pattern.endswith("/**") and not any(mark in place for mark in "*?"):
        _put(db, stack, place, name, folder=True, origin="table")
        return
    for path in found_by_pattern(db, stack.state, pattern, most=500):
        _put(db, stack, path, name, folder=False, origin="table")


def _put(db: Session, stack: StoredStack, path: str, alias: str, *, folder: bool, origin: str, **more: Any) -> None:  # noqa: ANN401
    values = {"project": stack.state.project, "path": path, "folder": folder, "alias": alias, "origin": origin}
    db.execute(_PUT, {"note": "", "star": False} | values | more)

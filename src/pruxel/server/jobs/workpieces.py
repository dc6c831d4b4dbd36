"""The workpiece of just some entries, made when there is none."""

from __future__ import annotations

from collections.abc import Mapping
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.knowledge.kinds import OPENED, Kind
from pruxel.server.jobs.slots import dressing
from pruxel.server.jobs.stacks import StoredStack
from pruxel.server.store.tables import Revision, Workpiece


def check_entries(stack: StoredStack, entries: list[str]) -> None:
    """Raise `InputError` when an entry is not there, or of a kind that nothing opens as a scene."""
    for path in entries:
        kind = stack.kind_of(path)
        if kind is None:
            raise InputError(ErrorCode.NOT_FOUND, "one of these entries is not in the sources", file=path)
        if kind not in OPENED and not (kind is Kind.CLIPS and len(entries) > 1):
            raise InputError(
                ErrorCode.UNKNOWN_FORMAT,
                f"an entry of kind '{kind}' does not open on the Bench",
                file=path,
                expected=", ".join(sorted(OPENED)),
                found=str(kind),
                hint="Look at it in Browse, extract it raw, or describe its format in a layout.",
            )


def known_workpiece(db: Session, project: UUID, entries: list[str], wears: Mapping[str, str]) -> Workpiece | None:
    """The workpiece opened with just these entries; of several, the first: it is the one that was not copied."""
    same = (Workpiece.project_id == project, Workpiece.entries == entries, Workpiece.wears == wears)
    wanted = select(Workpiece).where(*same).order_by(Workpiece.created, Workpiece.id)
    return db.execute(wanted.limit(1)).scalar_one_or_none()


def workpiece_of(
    db: Session, stack: StoredStack, entries: list[str], wears: Mapping[str, str] | None = None, name: str = ""
) -> Workpiece:
    """The workpiece opened with just these entries, and these in its slots, made when there is none.

    Raises `InputError` as `check_entries` does, and `UsageError` for what goes into no slot.
    """
    worn = dict(wears or {})
    check_entries(stack, entries)
    project = stack.state.project
    known = known_workpiece(db, project, entries, worn)
    if known is not None:
        return known
    steps = dressing(stack, entries, worn)
    made = Workpiece(project_id=project, name=name or name_of(entries), entries=entries, wears=worn, at=0)
    db.add(made)
    db.flush()
    if steps:
        db.add(Revision(workpiece_id=made.id, number=0, steps=steps))
        db.flush()
    return made


def name_of(entries: list[str]) -> str:
    """What a workpiece of these entries is called at first."""
    return entries[0].rsplit("/", 1)[-1].rsplit(".", 1)[0]

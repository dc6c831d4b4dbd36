"""The steps of a workpiece, revision by revision.

Undo and redo move between them, a change goes on from where one is.
"""

from __future__ import annotations

from typing import Any

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from pruxel.server.store.tables import Revision, Workpiece

_MOST_KEPT = 100


def steps_of(db: Session, workpiece: Workpiece) -> list[Any]:
    """The steps as they are now."""
    found = db.get(Revision, (workpiece.id, workpiece.at))
    return [] if found is None else found.steps


def ends_of(db: Session, workpiece: Workpiece) -> tuple[int, int]:
    """The numbers of the first and last revision that there are."""
    wanted = select(func.min(Revision.number), func.max(Revision.number)).where(Revision.workpiece_id == workpiece.id)
    first, last = db.execute(wanted).one()
    return (workpiece.at if first is None else first), (workpiece.at if last is None else last)


def add_revision(db: Session, workpiece: Workpiece, steps: list[Any]) -> None:
    """Replace the steps; what was undone is gone, what was there can be had back. The same steps are no change."""
    if steps == steps_of(db, workpiece):
        return
    mine = Revision.workpiece_id == workpiece.id
    db.execute(delete(Revision).where(mine, Revision.number > workpiece.at))
    if db.get(Revision, (workpiece.id, workpiece.at)) is None:
        db.add(Revision(workpiece_id=workpiece.id, number=workpiece.at, steps=[]))
    workpiece.at += 1
    db.add(Revision(workpiece_id=workpiece.id, number=workpiece.at, steps=steps))
    db.execute(delete(Revision).where(mine, Revision.number < workpiece.at - _MOST_KEPT))
    db.flush()


def move(db: Session, workpiece: Workpiece, by: int) -> None:
    """Go to an earlier (-1) or later (+1) revision, if there is one."""
    first, last = ends_of(db, workpiece)
    workpiece.at = min(max(workpiece.at + by, first), last)
    db.flush()

"""Settle which paths several sources hold, after one of them was loaded."""

from __future__ import annotations

import uuid

from sqlalchemy import select, text
from sqlalchemy.orm import Session

from pruxel.server.store.loading import new_slot, recount, slots_of
from pruxel.server.store.tables import Slot

_SHARED = text(
    """
    CREATE TEMP TABLE shared_paths ON COMMIT DROP AS
    SELECT e.path, to_jsonb(array_agg(DISTINCT s.source_id::text ORDER BY s.source_id::text)) AS holders
    FROM entries e JOIN slots s ON s.id = e.slot
    WHERE e.slot = ANY(:every) AND e.path IN (
        SELECT mine.path FROM entries mine
        WHERE mine.slot = ANY(:mine) AND EXISTS (
            SELECT 1 FROM entries other WHERE other.slot = ANY(:others) AND other.path = mine.path))
    GROUP BY e.path
    """
)
_MOVE = text(
    """
    UPDATE entries e SET slot = goal.id
    FROM shared_paths p, slots old, slots goal
    WHERE e.path = p.path AND e.slot = old.id AND old.project_id = :project
      AND goal.project_id = :project AND goal.source_id = old.source_id AND goal.holders = p.holders
      AND e.slot <> goal.id
    """
)


def settle(db: Session, project: uuid.UUID, source: uuid.UUID) -> int:
    """Move the rows of shared paths into the slots of their holders; returns how many paths are shared."""
    mine = slots_of(db, source)
    every = list(db.execute(select(Slot.id).where(Slot.project_id == project)).scalars())
    others = [slot for slot in every if slot not in mine]
    if not others or not mine:
        return 0
    db.execute(_SHARED, {"every": every, "mine": mine, "others": others})
    groups = db.execute(text("SELECT holders, count(*) FROM shared_paths GROUP BY holders")).all()
    before = {
        slot.id for slot in db.execute(select(Slot).where(Slot.project_id == project)).scalars()
        if any(str(slot.source_id) in holders for holders, _ in groups)
    }  # fmt: skip
    for holders, _ in groups:
        for holder in holders:
            before.add(new_slot(db, project, uuid.UUID(holder), holders))
    db.execute(text("ANALYZE shared_paths"))
    moved = db.execute(_MOVE, {"project": project})
    if moved.rowcount:  # type: ignore[attr-defined]
        recount(db, sorted(before))
    db.execute(text("DROP TABLE shared_paths"))
    return sum(int(number) for _, number in groups)

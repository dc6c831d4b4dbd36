"""Paths of a selection that several sources hold."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy import select, text
from sqlalchemy.orm import Session

from pruxel.server.store.conditions import Query, condition_of
from pruxel.server.store.stack_state import StackState
from pruxel.server.store.tables import EntryRow

MOST_COLLISIONS = 300


@dataclass(frozen=True)
class Held:
    """A path with its rows, the one that wins first, then by height."""

    path: str
    rows: tuple[EntryRow, ...]


def collisions(db: Session, state: StackState, *, paths: list[str] | None, query: Query) -> list[Held]:
    """The first few hundred paths, of a list or else of a search, that several sources hold."""
    if paths is None:
        asked = condition_of(db, state, query)
        condition, values = asked.whole, asked.values
    else:
        condition, values = "e.path = ANY(:paths)", dict[str, Any](paths=paths)
    shared = [slot for slot in state.winning if len(state.by_slot[slot].holders) > 1]
    statement = f"SELECT e.path FROM entries e WHERE e.slot = ANY(:slots) AND {condition} ORDER BY e.path LIMIT :most"
    found = db.execute(text(statement), values | {"slots": shared, "most": MOST_COLLISIONS}).scalars()
    held: dict[str, list[EntryRow]] = {path: [] for path in found}
    for row in db.execute(select(EntryRow).where(EntryRow.slot.in_(state.every), EntryRow.path.in_(held))).scalars():
        held[row.path].append(row)
    return [
        Held(path, tuple(sorted(rows, key=lambda r: (r.slot not in shared, -state.rank_of(r.slot)))))
        for path, rows in held.items()
        if len(rows) > 1
    ]

"""How many entries a search finds, by kind, variant class and source."""

from __future__ import annotations

from dataclasses import dataclass, replace

from sqlalchemy import text
from sqlalchemy.orm import Session

from pruxel.server.store.conditions import (
    Condition,
    Query,
    all_matches,
    condition_of,
    each_slot,
    fair_share,
    slots_of,
    without,
)
from pruxel.server.store.stack_state import StackState

MOST_COUNTED = 5_000
_WALKED = 15_000
_COLUMNS = "e.slot, e.kind, e.variant, e.size"
# Slot, kind, variant class, how many entries, how many bytes.
_Group = tuple[int, str, str, int, int]


@dataclass(frozen=True)
class Counts:
    """How many entries match, by kind, variant class and source.

    `sampled` when only the first few thousand were told apart, `capped` when `total` is no more than these.
    """

    total: int
    size: int
    capped: bool
    sampled: bool
    kinds: dict[str, int]
    variants: dict[str, int]
    sources: dict[str, int]


def counts(db: Session, state: StackState, query: Query) -> Counts:
    """Counts of a search. `kinds` disregards the kind chosen, `variants` the variant, so that both can be changed."""
    if query.plain and not query.folder and not query.direct:
        return _summed(db, state, query)
    found = _sample(db, state, query)
    kinds = _by(found, 1) if query.kind is None else _by(_sample(db, state, replace(query, kind=None)), 1)
    variants = _by(found, 2) if query.variant is None else _by(_sample(db, state, replace(query, variant=None)), 2)
    total, size = sum(row[3] for row in found), sum(row[4] for row in found)
    sampled = capped = total >= MOST_COUNTED
    if sampled and replace(query, sort="path", down=False) == Query(folder=query.folder):
        (total, size), capped = _below(db, state, query.folder or ""), False
    return Counts(total, size, capped, sampled, kinds, variants, _by_source(found, state))


def _below(db: Session, state: StackState, folder: str) -> tuple[int, int]:
    """How many entries lie below a folder, and their bytes."""
    row = db.execute(
        text(
            "SELECT coalesce(sum(c.below), 0), coalesce(sum(c.size), 0) FROM folder_counts c "
            "WHERE c.slot = ANY(:slots) AND "
            "c.folder = (SELECT id FROM folders WHERE project_id = :project AND path = :folder)"
        ),
        {"slots": state.winning, "project": state.project, "folder": folder},
    ).one()
    return int(row[0]), int(row[1])


def _sample(db: Session, state: StackState, query: Query) -> list[_Group]:
    """Matches by group, MOST_COUNTED at most: along the paths while words are common, else by the word index."""
    asked = condition_of(db, state, query)
    slots = asked.values["slots"]
    if not slots:
        return []
    share = fair_share(state, slots, _WALKED)
    asked.values.update(most_counted=MOST_COUNTED, share=share)
    if not query.direct:
        along = " AND ".join(("e.slot = {slot}", *asked.kinds, *asked.paths))
        with without(db, "enable_bitmapscan", "enable_sort"):
            walked = each_slot(
                f"SELECT {_COLUMNS} FROM (SELECT * FROM entries e WHERE {along} ORDER BY e.path LIMIT :share) e "
                f"WHERE {' AND '.join(asked.tests) or 'true'} LIMIT :most_counted",
                slots,
            )
            near = _grouped(db, asked, walked)
        whole = all(state.by_slot[slot].entries <= share for slot in slots)
        if whole or sum(row[3] for row in near) >= MOST_COUNTED:
            return near
    with all_matches(db, _COLUMNS, asked, "LIMIT :most_counted") as every:
        return _grouped(db, asked, every)


def _grouped(db: Session, asked: Condition, each: str) -> list[_Group]:
    statement = (
        "SELECT slot, kind, variant, count(*), sum(size) "
        f"FROM (SELECT * FROM ({each}) u LIMIT :most_counted) t GROUP BY 1, 2, 3"
    )
    rows = db.execute(text(statement), asked.values)
    return [(r[0], r[1], r[2], int(r[3]), int(r[4])) for r in rows]


def _by_source(rows: list[_Group], state: StackState) -> dict[str, int]:
    found: dict[str, int] = {}
    for slot, _, _, number, _ in rows:
        name = str(state.by_slot[slot].source)
        found[name] = found.get(name, 0) + number
    return found


def _by(rows: list[_Group], column: int) -> dict[str, int]:
    found: dict[str, int] = {}
    for row in rows:
        name = str(row[column])
        found[name] = found.get(name, 0) + row[3]
    return found


def _summed(db: Session, state: StackState, query: Query) -> Counts:
    rows = [
        (r[0], r[1], r[2], int(r[3]), int(r[4]))
        for r in db.execute(
            text("SELECT slot, kind, variant, number, size FROM facet_counts WHERE slot = ANY(:slots)"),
            {"slots": slots_of(state, query)},
        )
    ]
    of_variant = [r for r in rows if query.variant is None or r[2] == query.variant]
    of_kind = [r for r in rows if query.kind is None or r[1] == query.kind]
    both = [r for r in of_variant if query.kind is None or r[1] == query.kind]
    total, size = sum(r[3] for r in both), sum(r[4] for r in both)
    return Counts(
        total,
        size,
        capped=False,
        sampled=False,
        kinds=_by(of_variant, 1),
        variants=_by(of_kind, 2),
        sources=_by_source(both, state),
    )

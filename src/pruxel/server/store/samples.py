"""Two thousand rows of every large slot, by which to tell how common the matches of a search are before it is made."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy import delete, text
from sqlalchemy.orm import Session

from pruxel.server.store.conditions import Condition
from pruxel.server.store.stack_state import StackState
from pruxel.server.store.tables import EntrySample

# Slots with fewer rows need no sample: walking along one of their indexes meets every match soon enough.
_LARGE = 50_000
_SAMPLED = 2_000
# Of a sample of so few rows, the number that match may be off by this factor.
_CAUTION = 1.3
# Matches may lie close together, and not where a walk begins: so many rows of the sample are looked at there.
_BEGINNING = 100


def take_samples(db: Session, slots: list[int]) -> None:
    """Sample some slots anew, after their facets were counted."""
    db.execute(delete(EntrySample).where(EntrySample.slot.in_(slots)))
    db.execute(
        text(
            """
            INSERT INTO entry_samples (slot, folder, path, kind, size, variant)
            SELECT e.slot, e.folder, e.path, e.kind, e.size, e.variant
            FROM (
                SELECT slot, greatest(sum(number)::bigint / :sampled, 1) AS spacing FROM facet_counts
                WHERE slot = ANY(:slots) GROUP BY slot HAVING sum(number) >= :large
            ) c JOIN entries e ON e.slot = c.slot
            WHERE (hashint8(e.id) & 2147483647) % c.spacing = 0
            """
        ),
        {"slots": slots, "sampled": _SAMPLED, "large": _LARGE},
    )


def worth_walking(
    db: Session, state: StackState, asked: Condition, along: Sequence[str], order: str, wanted: int, most: int
) -> bool:
    """Whether `wanted` matches are likely to be met among the first `most` rows of `order`.

    The walk is along rows for which `along` holds. Without large slots, or before they are sampled, it is worth it.
    """
    large = [slot for slot in asked.values["slots"] if state.by_slot[slot].entries >= _LARGE]
    if not large:
        return True
    stretch = " AND ".join(("e.slot = ANY(:large)", *along))
    # Compared byte by byte, which is the same order as the database's, but sooner told.
    first = order.replace("e.path", 'e.path COLLATE "C"')
    found = db.execute(
        text(
            f"SELECT count(*) AS rows, count(*) FILTER (WHERE {asked.judged}) AS hits, (SELECT count(*) FROM "
            f"(SELECT * FROM entry_samples e WHERE {stretch} ORDER BY {first} LIMIT :beginning) e "
            f"WHERE {asked.judged}) AS first_hits FROM entry_samples e WHERE {stretch}"
        ),
        asked.values | {"large": large, "beginning": _BEGINNING},
    ).one()
    if not found.rows:
        return True
    return bool(found.first_hits) and _CAUTION * wanted * found.rows <= most * found.hits

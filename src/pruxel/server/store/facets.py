"""How many entries a search finds, by kind, variant class, source, size and flag."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any, NamedTuple, TypeVar

from sqlalchemy import text
from sqlalchemy.orm import Session

from pruxel.server.store.conditions import (
    Condition,
    Query,
    all_matches,
    each_slot,
    fair_share,
    slots_of,
    with_words,
)
from pruxel.server.store.database import without
from pruxel.server.store.samples import worth_walking
from pruxel.server.store.stack_state import StackState
from pruxel.server.store.words import Words, words_of

MOST_COUNTED = 2_000
_WALKED = 30_000
Key = TypeVar("Key")
_COLUMNS = "e.slot, e.kind, e.variant, e.size"


class _Group(NamedTuple):
    """Entries that are alike; `digits` is the length of their size in bytes, written out."""

    slot: int
    kind: str
    variant: str
    digits: int
    number: int
    size: int


@dataclass(frozen=True)
class Counts:
    """How many entries match, by kind, variant class, source, digits of their size, and flag.

    `sampled` when only the first few thousand were told apart, `capped` when `total` is no more than these.
    """

    total: int
    size: int
    capped: bool
    sampled: bool
    kinds: dict[str, int]
    variants: dict[str, int]
    sources: dict[str, int]
    digits: dict[int, int]
    flags: dict[str, int]


def counts(db: Session, state: StackState, query: Query) -> Counts:
    """Counts of a search. Each kind of count disregards the choice made among its own, so that it can be changed."""
    words = words_of(db, state, query.words)
    found, capped = _groups(db, state, query, words)
    cut_short = [capped]

    def freed(*names: str) -> list[_Group]:
        if all(getattr(query, name) is None for name in names):
            return found
        nothing: dict[str, Any] = dict.fromkeys(names)
        groups, cut = _groups(db, state, replace(query, **nothing), words)
        cut_short.append(cut)
        return groups

    total, size = sum(g.number for g in found), sum(g.size for g in found)
    if capped and replace(query, sort="path", down=False) == Query(folder=query.folder):
        (total, size), capped = _below(db, state, query.folder or ""), False
    kinds = _by(freed("kind"), lambda g: g.kind)
    variants = _by(freed("variant"), lambda g: g.variant)
    sources = _by(freed("source"), lambda g: str(state.by_slot[g.slot].source))
    digits = _by(freed("least", "most"), lambda g: g.digits)
    flags = _flags(db, state, query, words, freed("flag"))
    return Counts(total, size, capped, any(cut_short), kinds, variants, sources, digits, flags)


def _groups(db: Session, state: StackState, query: Query, words: Words) -> tuple[list[_Group], bool]:
    """All matches by group, and whether there may be more than were counted."""
    if query.plain:
        return _summed(db, state, query), False
    found = _sample(db, state, query, words)
    return found, sum(group.number for group in found) >= MOST_COUNTED


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


def _sample(db: Session, state: StackState, query: Query, words: Words) -> list[_Group]:
    """Matches by group, MOST_COUNTED at most: along the paths while words are common, else by the word index."""
    asked = with_words(state, query, words)
    slots = asked.values["slots"]
    if not slots:
        return []
    share = fair_share(state, slots, _WALKED)
    asked.values.update(most_counted=MOST_COUNTED, share=share)
    stretch = (*asked.kinds, *asked.paths)
    if not query.direct and worth_walking(db, state, asked, stretch, "e.path", MOST_COUNTED, _WALKED):
        along = " AND ".join(("e.slot = {slot}", *stretch))
        with without(db, "enable_bitmapscan", "enable_sort"):
            walked = each_slot(
                f"SELECT {_COLUMNS} FROM (SELECT * FROM entries e WHERE {along} ORDER BY e.path LIMIT :share) e "
                f"WHERE {' AND '.join(asked.tests) or 'true'} LIMIT :most_counted",
                slots,
            )
            near = _grouped(db, asked, walked)
        whole = all(state.by_slot[slot].entries <= share for slot in slots)
        if whole or sum(group.number for group in near) >= MOST_COUNTED:
            return near
    with all_matches(db, state, _COLUMNS, asked, "LIMIT :most_counted") as every:
        return _grouped(db, asked, every)


def _grouped(db: Session, asked: Condition, each: str) -> list[_Group]:
    statement = (
        "SELECT slot, kind, variant, length(size::text), count(*), sum(size)::bigint "
        f"FROM (SELECT * FROM ({each}) u LIMIT :most_counted) t GROUP BY 1, 2, 3, 4"
    )
    return [_Group(*row) for row in db.execute(text(statement), asked.values).all()]


def _by(groups: list[_Group], key: Callable[[_Group], Key]) -> dict[Key, int]:
    found: dict[Key, int] = {}
    for group in groups:
        found[key(group)] = found.get(key(group), 0) + group.number
    return found


def _summed(db: Session, state: StackState, query: Query) -> list[_Group]:
    rows = db.execute(
        text("SELECT slot, kind, variant, digits, number, size FROM facet_counts WHERE slot = ANY(:slots)"),
        {"slots": slots_of(state, query)},
    ).all()
    sizes = query.digits or range(0)
    return [
        group
        for group in (_Group(*row) for row in rows)
        if query.kind in {None, group.kind} and query.variant in {None, group.variant} and group.digits in sizes
    ]


def _flags(db: Session, state: StackState, query: Query, words: Words, groups: list[_Group]) -> dict[str, int]:
    """How many matches have each flag, MOST_COUNTED at most where people set it."""
    free = replace(query, flag=None)
    found = {"shadowed": sum(group.number for group in groups if state.shadowed(group.slot))}
    if any(source.named < source.hashed for source in state.sources if state.counts(source)):
        found["unnamed"] = sum(group.number for group in _sample(db, state, replace(free, flag="unnamed"), words))
    asked = with_words(state, free, words)
    said = db.execute(
        text(
            "SELECT count(*) FILTER (WHERE m.star) AS starred, count(*) FILTER (WHERE m.named) AS noted, "
            "count(*) FILTER (WHERE m.seen) AS seen FROM ("
            "SELECT path, star, seen, (note <> '' OR alias <> '') AS named FROM marks "
            "WHERE project_id = :project AND NOT folder AND (star OR seen OR note <> '' OR alias <> '') "
            f"ORDER BY star DESC, named DESC LIMIT {MOST_COUNTED}) m "
            f"JOIN entries e ON e.path = m.path AND e.slot = ANY(:slots) WHERE {asked.whole}"
        ),
        asked.values,
    ).one()
    return found | said._asdict()

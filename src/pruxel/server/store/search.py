"""Search in the merged view, one page at a time."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy import text
from sqlalchemy.orm import Session

from pruxel.server.store.conditions import (
    Condition,
    Query,
    Sort,
    all_matches,
    condition_of,
    each_slot,
    fair_share,
)
from pruxel.server.store.database import without
from pruxel.server.store.samples import worth_walking
from pruxel.server.store.stack_state import StackState

# How many rows are judged one after the other in the order of an index, before all matches are looked up instead. By
# size the rows lie scattered over the table, which makes each several times as dear.
_WALKED: dict[Sort, int] = {"path": 10_000, "kind": 10_000, "source": 10_000, "size": 5_000}
_DEEPEST_WALK = 2_000
_Rows = Sequence[Any]


@dataclass(frozen=True)
class Found:
    """A row of the list. `within` is the alias of the nearest folder above that has one."""

    id: int
    slot: int
    path: str
    kind: str
    size: int
    variant: str
    picture: str | None
    alias: str
    note: str
    star: bool
    seen: bool
    used: int
    within: str = ""


@dataclass(frozen=True)
class _Order:
    """An order within a slot (rows `e`, as an index gives it), over all slots (rows `p`), and the columns it is by."""

    inner: str
    outer: str
    keys: tuple[str, ...]

    @property
    def unindexed(self) -> str:
        """The order over all slots as no index can give it, so that matches are found first and then sorted.

        Paths are compared byte by byte, which is the same order as the database's, but sooner told.
        """
        return self.outer.replace("p.path", 'p.path COLLATE "C"').replace("p.size", "p.size + 0")


_USED = "(SELECT count(*) FROM entry_references r WHERE r.project_id = :project AND r.target = p.path)"


def _order_of(query: Query) -> _Order:
    way = "DESC" if query.down else "ASC"
    first = {
        "size": f"p.size {way}, ",
        "kind": f"p.kind {way}, ",
        "source": f"array_position(CAST(:ranked AS integer[]), p.slot) {way}, ",
        "references": f"{_USED} {way}, ",
    }.get(query.sort, "")
    by_column = query.sort in {"size", "kind"}
    inner = first.replace("p.", "e.") if by_column else ""
    keys = (f"e.{query.sort}", "e.path") if by_column else ("e.path",)
    return _Order(f"{inner}e.path {way}", f"{first}p.path {way}", keys)


_ROW = "e.id, e.slot, e.path, e.kind, e.size, e.variant, e.picture"
_DRESSED = f"""
    SELECT p.*, coalesce(m.alias, '') AS alias, coalesce(m.note, '') AS note, coalesce(m.star, false) AS star,
           coalesce(m.seen, false) AS seen, {_USED} AS used
    FROM ({{inner}}) p LEFT JOIN marks m ON m.project_id = :project AND m.path = p.path ORDER BY {{order}}
"""


def page(
    db: Session, state: StackState, query: Query, *, offset: int, limit: int, after: str | None = None
) -> list[Found]:
    """One page. `after` (a path, for the order by path upwards) is quicker than a large `offset`."""
    asked = condition_of(db, state, query)
    asked.values.update(
        limit=limit, offset=0 if after else offset, ranked=sorted(asked.values["slots"], key=state.rank_of)
    )
    if not asked.values["slots"]:
        return []
    if after is not None and query.sort == "path" and not query.down:
        asked.values["after"] = after
        asked = replace(asked, paths=(*asked.paths, "e.path > :after"))
    order = _order_of(query)
    rows: _Rows | None
    if query.sort == "references":
        rows = _by_use(db, asked, order)
    elif query.words.strip():
        rows = _walked(db, state, query, asked, order)
        rows = _matched(db, state, asked, order) if rows is None else rows
    else:
        rows = _first_of_each(db, asked, order)
    found = [
        Found(r.id, r.slot, r.path, r.kind, r.size, r.variant, r.picture, r.alias, r.note, r.star, r.seen, r.used)
        for r in rows
    ]
    names = state.folder_names
    if not names:
        return found
    return [replace(row, within=next((names[p] for p in _above(row.path) if p in names), "")) for row in found]


def _above(path: str) -> list[str]:
    """The folders above a path, nearest first."""
    parts = path.split("/")[:-1]
    return ["/".join(parts[:depth]) for depth in range(len(parts), 0, -1)]


def _dressed(db: Session, asked: Condition, order: _Order, inner: str) -> _Rows:
    return db.execute(text(_DRESSED.format(inner=inner, order=order.outer)), asked.values).all()


def _first_of_each(db: Session, asked: Condition, order: _Order) -> _Rows:
    """The first rows of every slot, then the first of those: an index gives the order, so nothing large is sorted.

    Where the index holds all that is asked for, rows are fetched only for the page itself, however deep it lies.
    """
    asked.values["depth"] = asked.values["offset"] + asked.values["limit"]
    columns = _ROW if asked.tests else ", ".join(("e.slot", *order.keys))
    each = each_slot(
        f"SELECT {columns} FROM entries e WHERE e.slot = {{slot}} AND {asked.whole} "
        f"ORDER BY {order.inner} LIMIT :depth",
        asked.values["slots"],
    )
    chosen = f"SELECT * FROM ({each}) p ORDER BY {order.outer} LIMIT :limit OFFSET :offset"
    if not asked.tests:
        chosen = f"SELECT {_ROW} FROM ({chosen}) k JOIN entries e ON e.slot = k.slot AND e.path = k.path"
    return _dressed(db, asked, order, chosen)


def _walked(db: Session, state: StackState, query: Query, asked: Condition, order: _Order) -> _Rows | None:
    """The page when words are common or entries few: rows are judged in the order of an index until it is full.

    None when the walk ended before the page was full and before the slot's end.
    """
    slots, depth = asked.values["slots"], asked.values["offset"] + asked.values["limit"]
    most = _WALKED[query.sort]
    along, tests = [*asked.kinds], [*asked.tests]
    (tests if query.sort == "size" else along).extend(asked.paths)
    if query.direct or depth > _DEEPEST_WALK or not worth_walking(db, state, asked, along, order.inner, depth, most):
        return None
    share = fair_share(state, slots, most)
    asked.values.update(depth=depth, share=share)
    stretch = " AND ".join(("e.slot = {slot}", *along))
    each = each_slot(
        f"SELECT {_ROW} FROM (SELECT * FROM entries e WHERE {stretch} ORDER BY {order.inner} LIMIT :share) e "
        f"WHERE {' AND '.join(tests) or 'true'} ORDER BY {order.inner} LIMIT :depth",
        slots,
    )
    inner = (
        f"WITH walked AS MATERIALIZED ({each}) SELECT p.*, (SELECT jsonb_object_agg(n.slot, n.hits) FROM "
        "(SELECT slot, count(*) AS hits FROM walked GROUP BY slot) n) AS hits "
        f"FROM walked p ORDER BY {order.outer} LIMIT :limit OFFSET :offset"
    )
    with without(db, "enable_bitmapscan", "enable_sort"):
        rows = _dressed(db, asked, order, inner)
    hits = {int(slot): number for slot, number in rows[0].hits.items()} if rows else {}
    whole = all(state.by_slot[slot].entries <= share or hits.get(slot, 0) >= depth for slot in slots)
    return rows if whole else None


def _matched(db: Session, state: StackState, asked: Condition, order: _Order) -> _Rows:
    """All matches, then sorted."""
    with all_matches(db, state, _ROW, asked) as every:
        inner = f"SELECT * FROM ({every}) p ORDER BY {order.unindexed} LIMIT :limit OFFSET :offset"
        return _dressed(db, asked, order, inner)


def _by_use(db: Session, asked: Condition, order: _Order) -> _Rows:
    """By how often entries are used: those that are used at all, and as many of the others as the page could want."""
    asked.values["depth"] = asked.values["offset"] + asked.values["limit"]
    used = "e.path IN (SELECT r.target FROM entry_references r WHERE r.project_id = :project)"
    base = f"SELECT {_ROW} FROM entries e WHERE e.slot = {{slot}} AND {asked.whole}"
    slots = asked.values["slots"]
    each = (
        each_slot(f"{base} AND {used}", slots)
        + " UNION ALL "
        + each_slot(f"{base} AND NOT {used} ORDER BY {order.inner} LIMIT :depth", slots)
    )
    return _dressed(db, asked, order, f"SELECT * FROM ({each}) p ORDER BY {order.outer} LIMIT :limit OFFSET :offset")

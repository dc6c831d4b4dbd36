"""Search in the merged view: words, wildcards, facets, orders; one page at a time."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from typing import Any, Literal

from sqlalchemy import text
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from pruxel.core.sources.patterns import pattern_regex
from pruxel.server.store.likes import escaped
from pruxel.server.store.stack_state import StackState

MOST_COUNTED = 5_000
_FEW = 3_000
_PATIENCE_MS = 25
_BY_INDEX = (
    "enable_seqscan = off",
    "enable_bitmapscan = off",
    "enable_sort = off",
    "max_parallel_workers_per_gather = 0",
)
Sort = Literal["path", "size", "kind", "references"]
Flag = Literal["shadowed", "unnamed", "seen", "unseen", "starred", "noted"]


@dataclass(frozen=True)
class Query:
    """What is looked for. `folder` is a path; with `direct` only what lies in it itself."""

    words: str = ""
    kind: str | None = None
    source: str | None = None
    variant: str | None = None
    flag: Flag | None = None
    folder: str | None = None
    direct: bool = False
    least: int | None = None
    most: int | None = None
    sort: Sort = "path"
    down: bool = False

    @property
    def plain(self) -> bool:
        """Whether folder and facet tables alone can count it."""
        return not (self.words.strip() or self.flag or self.least is not None or self.most is not None)


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


def _slots(state: StackState, query: Query) -> list[int]:
    chosen = state.winning
    if query.flag == "shadowed":
        chosen = state.shadowing()
    if query.source is not None:
        chosen = [slot for slot in chosen if str(state.by_slot[slot].source) == query.source]
    return chosen


def _word(word: str, number: int, values: dict[str, Any]) -> str:
    """The condition for one word. One or two letters mean the start of a part, or they would mean nearly everything."""
    key = f"w{number}"
    if "*" in word or "?" in word:
        anchored = word if "/" in word or word.startswith("**") else f"**/{word}"
        values[key] = "^" + pattern_regex(anchored) + "$"
        values[f"{key}l"] = re.sub(r"%+", "%", "%" + escaped(word).replace("*", "%").replace("?", "_") + "%")
        # The word index answers the first half; the second only judges what that lets through.
        return f"(e.path ILIKE :{key}l AND (e.path || '') ~* :{key})"
    if len(word) < 3:
        values[key] = f"(^|[/_. -]){re.escape(word)}"
        return f"e.path ~* :{key}"
    values[key] = f"%{escaped(word)}%"
    return f"e.path ILIKE :{key}"


def _marked(db: Session, state: StackState, word: str) -> tuple[list[str], list[str]]:
    """Paths and folders whose alias or note has the word."""
    rows = db.execute(
        text(
            "SELECT path, folder FROM marks WHERE project_id = :project "
            "AND (alias ILIKE :word OR note ILIKE :word) LIMIT 200"
        ),
        {"project": state.project, "word": f"%{escaped(word)}%"},
    ).all()
    return [r.path for r in rows if not r.folder], [r.path for r in rows if r.folder]


def _condition(db: Session, state: StackState, query: Query, values: dict[str, Any]) -> str:
    parts = []
    for number, raw in enumerate(query.words.split()[:12]):
        out = raw.startswith("-") and len(raw) > 1
        word = raw[1:] if out else raw
        own = _word(word, number, values)
        paths, folders = _marked(db, state, word)
        if paths:
            values[f"m{number}"] = paths
            own += f" OR e.path = ANY(:m{number})"
        for place, folder in enumerate(folders[:40]):
            values[f"f{number}_{place}"] = f"{escaped(folder)}/%"
            own += f" OR e.path LIKE :f{number}_{place}"
        parts.append(f"NOT ({own})" if out else f"({own})")
    if query.kind:
        values["kind"] = query.kind
        parts.append("e.kind = :kind")
    if query.variant is not None:
        values["variant"] = query.variant
        parts.append("e.variant = :variant")
    if query.folder:
        if query.direct:
            values["folder"] = query.folder
            parts.append("e.folder = (SELECT id FROM folders WHERE project_id = :project AND path = :folder)")
        else:
            values["low"], values["high"] = f"{query.folder}/", f"{query.folder}0"
            parts.append("e.path >= :low AND e.path < :high")
    elif query.direct:
        parts.append("e.folder = (SELECT id FROM folders WHERE project_id = :project AND path = '')")
    for name, sign in (("least", ">="), ("most", "<=")):
        if getattr(query, name) is not None:
            values[name] = getattr(query, name)
            parts.append(f"e.size {sign} :{name}")
    parts += _flag(query.flag)
    values["project"] = state.project
    return " AND ".join(parts) or "true"


_OF_MARKS = "e.path IN (SELECT m.path FROM marks m WHERE m.project_id = :project AND NOT m.folder AND {})"


def _flag(flag: Flag | None) -> list[str]:
    if flag == "unnamed":
        return ["e.path >= '~unnamed/' AND e.path < '~unnamed0'"]
    if flag in {"seen", "unseen"}:
        return [("NOT " if flag == "unseen" else "") + _OF_MARKS.format("m.seen")]
    if flag == "starred":
        return [_OF_MARKS.format("m.star")]
    if flag == "noted":
        return [_OF_MARKS.format("(m.note <> '' OR m.alias <> '')")]
    return []


_ORDERS = {"path": "e.path", "size": "e.size", "kind": "e.kind"}
_ROW = "e.id, e.slot, e.path, e.kind, e.size, e.variant, e.picture"
_DRESSED = """
    SELECT p.*, coalesce(m.alias, '') AS alias, coalesce(m.note, '') AS note, coalesce(m.star, false) AS star,
           coalesce(m.seen, false) AS seen,
           (SELECT count(*) FROM entry_references r WHERE r.project_id = :project AND r.target = p.path) AS used
    FROM ({inner}) p LEFT JOIN marks m ON m.project_id = :project AND m.path = p.path ORDER BY {order}
"""


def page(
    db: Session, state: StackState, query: Query, *, offset: int, limit: int, after: str | None = None
) -> list[Found]:
    """One page. `after` (a path, for the order by path upwards) is quicker than a large `offset`."""
    values: dict[str, Any] = {"slots": _slots(state, query), "limit": limit, "offset": 0 if after else offset}
    if not values["slots"]:
        return []
    condition = _condition(db, state, query, values)
    by_path = query.sort == "path"
    if after is not None and by_path and not query.down:
        values["after"] = after
        condition += " AND e.path > :after"
    way = "DESC" if query.down else "ASC"
    order = f"e.path {way}" if by_path else f"{_ORDERS.get(query.sort, 'e.path')} {way}, e.path {way}"
    if query.sort == "references":
        mentions = "SELECT count(*) FROM entry_references r WHERE r.project_id = :project AND r.target = e.path"
        order = f"({mentions}) {way}, e.path {way}"
    outer = f"used {way}, p.path {way}" if query.sort == "references" else order.replace("e.", "p.")
    rows = None
    if query.words.strip() or query.sort == "references":
        rows = _few(db, condition, order, outer, values, whole=query.sort == "references")
    if rows is None:
        rows = _in_order(db, condition, order, outer, values, risky=bool(query.words.strip()))
    names = [name for name in Found.__dataclass_fields__ if name != "within"]
    found = [Found(*(getattr(row, name) for name in names)) for row in rows]
    aliases = _folder_aliases(db, state, {place for row in found for place in _above(row.path)})
    return [
        replace(row, within=next((aliases[p] for p in _above(row.path) if p in aliases), "")) if aliases else row
        for row in found
    ]


def _above(path: str) -> list[str]:
    """The folders above a path, nearest first."""
    parts = path.split("/")[:-1]
    return ["/".join(parts[:depth]) for depth in range(len(parts), 0, -1)]


def _folder_aliases(db: Session, state: StackState, places: set[str]) -> dict[str, str]:
    rows = db.execute(
        text(
            "SELECT path, alias FROM marks "
            "WHERE project_id = :project AND folder AND alias <> '' AND path = ANY(:places)"
        ),
        {"project": state.project, "places": sorted(places)},
    )
    return {row.path: row.alias for row in rows}


def _each_slot(columns: str, condition: str, tail: str, values: dict[str, Any]) -> str:
    """One SELECT a slot, joined. A slot stands in it as a number, so that every index that starts with it is used."""
    return " UNION ALL ".join(
        f"(SELECT {columns} FROM entries e WHERE e.slot = {slot:d} AND {condition} {tail})" for slot in values["slots"]
    )


def _few(
    db: Session, condition: str, order: str, outer: str, values: dict[str, Any], *, whole: bool
) -> Sequence[Any] | None:
    """The page when few rows match: all matches by the word index, then sorted. None when there are more than a few."""
    values["few"] = 1 << 60 if whole else _FEW
    each = _each_slot(_ROW, condition, "LIMIT :few", values)
    inner = (
        f"WITH hits AS MATERIALIZED (SELECT * FROM ({each}) h LIMIT :few) "
        f"SELECT e.*, (SELECT count(*) FROM hits) AS hits FROM hits e ORDER BY {order} LIMIT :limit OFFSET :offset"
    )
    with _planned(db, "enable_seqscan = off"):  # a table that other projects share is never walked whole
        rows = db.execute(text(_DRESSED.format(inner=inner, order=outer)), values).all()
    return None if rows and rows[0].hits >= values["few"] else rows


@contextmanager
def _planned(db: Session, *settings: str) -> Iterator[None]:
    """Bind the planner for a few statements; its estimates of how many paths hold a word are far off."""
    for setting in settings:
        db.execute(text(f"SET LOCAL {setting}"))
    yield
    for setting in settings:
        db.execute(text(f"SET LOCAL {setting.split(' = ', maxsplit=1)[0]} TO DEFAULT"))


def _in_order(
    db: Session, condition: str, order: str, outer: str, values: dict[str, Any], *, risky: bool
) -> Sequence[Any]:
    """The first rows of every slot, then the first of those: an index gives the order, so nothing large is sorted.

    Where a word is common this finds a page at once, unless its matches all lie late in the order; then (`risky`) it is
    given up after a moment, and all matches are found by the word index and sorted.
    """
    values["depth"] = int(values["offset"]) + int(values["limit"])
    each = _each_slot(_ROW, condition, f"ORDER BY {order} LIMIT :depth", values)
    inner = f"SELECT * FROM ({each}) e ORDER BY {order} LIMIT :limit OFFSET :offset"
    statement = text(_DRESSED.format(inner=inner, order=outer))
    if not risky:
        return db.execute(statement, values).all()
    try:
        with db.begin_nested(), _planned(db, *_BY_INDEX, f"statement_timeout = {_PATIENCE_MS}"):
            return db.execute(statement, values).all()
    except OperationalError:
        unsorted = order.replace("e.path", "e.path || ''")
        inner = (
            f"SELECT {_ROW} FROM entries e WHERE e.slot = ANY(:slots) AND {condition} "
            f"ORDER BY {unsorted} LIMIT :limit OFFSET :offset"
        )
        return db.execute(text(_DRESSED.format(inner=inner, order=outer)), values).all()


# Slot, kind, variant class, how many entries, how many bytes.
_Group = tuple[int, str, str, int, int]


@dataclass(frozen=True)
class Counts:
    """How many entries match, by kind, variant class and source; `capped` when there are more than were counted."""

    total: int
    size: int
    capped: bool
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
    return Counts(total, size, total >= MOST_COUNTED, kinds, variants, _by_source(found, state))


def _sample(db: Session, state: StackState, query: Query) -> list[_Group]:
    values: dict[str, Any] = {"slots": _slots(state, query), "most_counted": MOST_COUNTED}
    condition = _condition(db, state, query, values)
    if not values["slots"]:
        return []
    each = _each_slot("e.slot, e.kind, e.variant, e.size", condition, "LIMIT :most_counted", values)
    statement = (
        "SELECT slot, kind, variant, count(*), sum(size) "
        f"FROM (SELECT * FROM ({each}) u LIMIT :most_counted) t GROUP BY 1, 2, 3"
    )
    with _planned(db, "enable_seqscan = off"):
        rows = db.execute(text(statement), values).all()
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
            {"slots": _slots(state, query)},
        )
    ]
    of_variant = [r for r in rows if query.variant is None or r[2] == query.variant]
    of_kind = [r for r in rows if query.kind is None or r[1] == query.kind]
    both = [r for r in of_variant if query.kind is None or r[1] == query.kind]
    total, size = sum(r[3] for r in both), sum(r[4] for r in both)
    return Counts(
        total, size, capped=False, kinds=_by(of_variant, 1), variants=_by(of_kind, 2), sources=_by_source(both, state)
    )


def selection_sql(db: Session, state: StackState, query: Query) -> tuple[str, dict[str, Any]]:
    """The condition of a search over `entries e`, and its values (with `slots`), for other statements."""
    values: dict[str, Any] = {"slots": _slots(state, query)}
    return _condition(db, state, query, values), values

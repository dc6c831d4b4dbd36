"""What a search asks for, as a condition over entries."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any, Literal

from sqlalchemy import text
from sqlalchemy.orm import Session

from pruxel.core.sources.patterns import pattern_regex
from pruxel.server.store.likes import escaped
from pruxel.server.store.stack_state import StackState

Sort = Literal["path", "size", "kind", "source", "references"]
_TRIGRAM = 3
_MOST_DIGITS = 30
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
        """Whether the table of facets alone can count it."""
        narrow = self.words.strip() or self.flag or self.folder or self.direct
        return not narrow and self.digits is not None

    @property
    def digits(self) -> range | None:
        """The sizes asked for, as numbers of decimal digits; None when they begin or end elsewhere."""
        first = _power_of_ten(self.least) if self.least else 0
        last = _MOST_DIGITS if self.most is None else _power_of_ten(self.most + 1)
        return None if first is None or last is None else range(first + 1, last + 1)


def _power_of_ten(number: int) -> int | None:
    """Which power of ten a number from 10 on is, if it is one."""
    power = len(str(number)) - 1
    return power if power and number == 10**power else None


@dataclass(frozen=True)
class Condition:
    """A search over rows `e` of the slots `values["slots"]`.

    `kinds` and `paths` are stretches of the indexes, `tests` judge row by row. `by_word` tells whether the word index
    can find the matches: it needs three characters in a row, or the start of a part.
    """

    kinds: tuple[str, ...]
    paths: tuple[str, ...]
    tests: tuple[str, ...]
    values: dict[str, Any]
    by_word: bool = False

    @property
    def whole(self) -> str:
        """Everything, as SQL."""
        return " AND ".join((*self.kinds, *self.paths, *self.tests)) or "true"


def slots_of(state: StackState, query: Query) -> list[int]:
    """The slots that a search looks into."""
    chosen = state.shadowing() if query.flag == "shadowed" else state.winning
    if query.source is not None:
        chosen = [slot for slot in chosen if str(state.by_slot[slot].source) == query.source]
    return chosen


def _word(word: str, number: int, values: dict[str, Any]) -> str:
    """The condition for one word. One or two letters mean the start of a part, or they would mean nearly everything."""
    key = f"w{number}"
    if ("*" in word or "?" in word) and "/" not in word and "**" not in word:
        values[key] = escaped(word).replace("*", "%").replace("?", "_")
        values[f"{key}l"] = f"%{values[key]}%"
        # The word index answers the first half; the second only judges what that lets through.
        return f"(e.lowered LIKE lower(:{key}l) AND split_part(e.lowered, '/', -1) LIKE lower(:{key}))"
    if "*" in word or "?" in word:
        anchored = word if "/" in word or word.startswith("**") else f"**/{word}"
        values[key] = "^" + pattern_regex(anchored) + "$"
        values[f"{key}l"] = "%" + escaped(word).replace("*", "%").replace("?", "_") + "%"
        return f"(e.lowered LIKE lower(:{key}l) AND (e.lowered || '') ~ lower(:{key}))"
    if len(word) < 3:
        values[key] = f"(^|[/_. -]){re.escape(word)}"
        return f"e.lowered ~ lower(:{key})"
    values[key] = f"%{escaped(word)}%"
    return f"e.lowered LIKE lower(:{key})"


def _indexed(word: str) -> bool:
    """Whether the word has what the word index holds: three characters in a row, or the start of a part."""
    wild = "*" in word or "?" in word
    return not wild or any(len(run) >= _TRIGRAM for run in re.split(r"[*?/_. -]", word))


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


def condition_of(db: Session, state: StackState, query: Query) -> Condition:
    """The condition of a search, for statements over `entries e`."""
    values: dict[str, Any] = {"slots": slots_of(state, query), "project": state.project}
    kinds, paths, tests, by_word = list[str](), list[str](), list[str](), False
    for number, raw in enumerate(query.words.split()[:12]):
        out = raw.startswith("-") and len(raw) > 1
        word = raw[1:] if out else raw
        own = _word(word, number, values)
        by_word |= not out and _indexed(word)
        marked, folders = _marked(db, state, word)
        if marked:
            values[f"m{number}"] = marked
            own += f" OR e.path = ANY(:m{number})"
        for place, folder in enumerate(folders[:40]):
            values[f"f{number}_{place}"] = f"{escaped(folder)}/%"
            own += f" OR e.path LIKE :f{number}_{place}"
        tests.append(f"NOT ({own})" if out else f"({own})")
    if query.kind:
        values["kind"] = query.kind
        kinds.append("e.kind = :kind")
    if query.variant is not None:
        values["variant"] = query.variant
        tests.append("e.variant = :variant" + (" AND e.variant <> ''" if query.variant else ""))
    if query.direct:
        values["folder"] = query.folder or ""
        tests.append("e.folder = (SELECT id FROM folders WHERE project_id = :project AND path = :folder)")
    elif query.folder:
        values["low"], values["high"] = f"{query.folder}/", f"{query.folder}0"
        paths.append("e.path >= :low AND e.path < :high")
    for name, sign in (("least", ">="), ("most", "<=")):
        if getattr(query, name) is not None:
            values[name] = getattr(query, name)
            tests.append(f"e.size {sign} :{name}")
    if query.flag == "unnamed":
        paths.append("e.path >= '~unnamed/' AND e.path < '~unnamed0'")
    tests += _of_marks(query.flag)
    return Condition(tuple(kinds), tuple(paths), tuple(tests), values, by_word)


_OF_MARKS = "e.path IN (SELECT m.path FROM marks m WHERE m.project_id = :project AND NOT m.folder AND {})"


def _of_marks(flag: Flag | None) -> list[str]:
    if flag in {"seen", "unseen"}:
        return [("NOT " if flag == "unseen" else "") + _OF_MARKS.format("m.seen")]
    if flag == "starred":
        return [_OF_MARKS.format("m.star")]
    if flag == "noted":
        return [_OF_MARKS.format("(m.note <> '' OR m.alias <> '')")]
    return []


def each_slot(select: str, slots: Sequence[int]) -> str:
    """One SELECT a slot, joined. A slot stands in it as a number, so that every index that starts with it is used."""
    return " UNION ALL ".join(f"({select.replace('{slot}', str(int(slot)))})" for slot in slots)


@contextmanager
def without(db: Session, *ways: str) -> Iterator[None]:
    """Forbid the planner ways for a few statements; its estimates of how many paths hold a word are far off."""
    db.execute(text("SELECT " + ", ".join(f"set_config('{way}', 'off', true)" for way in ways)))
    yield
    db.execute(text("SELECT " + ", ".join(f"set_config('{way}', 'on', true)" for way in ways)))


@contextmanager
def all_matches(db: Session, state: StackState, columns: str, asked: Condition, tail: str = "") -> Iterator[str]:
    """A SELECT of all matches, with the planner bound to the word index while it runs, where that can find them.

    Where it cannot, rows are read one after the other, which the planner does on all cores.
    """
    if not asked.by_word:
        with without(db, "enable_bitmapscan"):
            yield f"SELECT {columns} FROM entries e WHERE e.slot = ANY(:slots) AND {asked.whole} {tail}"
        return
    # A slot with most of all rows is better told apart afterwards: in the index it costs as much as three words.
    slots = [f"e.slot{' + 0' if 2 * state.by_slot[s].entries > state.everything else ''} = {s}"
             for s in asked.values["slots"]]  # fmt: skip
    with without(db, "enable_seqscan", "enable_indexscan"):
        yield " UNION ALL ".join(
            f"(SELECT {columns} FROM entries e WHERE {slot} AND {asked.whole} {tail})" for slot in slots
        )


def fair_share(state: StackState, slots: Sequence[int], rows: int) -> int:
    """How many rows of each slot to look at, so that it is `rows` together: small slots leave theirs to large ones."""
    sizes = sorted(state.by_slot[slot].entries for slot in slots)
    for number, size in enumerate(sizes):
        share = rows // (len(sizes) - number)
        if size > share:
            return max(share, 500)
        rows -= size
    return max(sizes[-1], 1)

"""What a search asks for, as a condition over entries."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any, Literal

from sqlalchemy.orm import Session

from pruxel.server.store.database import without
from pruxel.server.store.stack_state import StackState
from pruxel.server.store.words import Words, words_of

Sort = Literal["path", "size", "kind", "source", "references"]
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


def query_of(said: Mapping[str, Any]) -> Query:
    """A search as the page says it; what it does not know is passed over."""
    known = {("words" if name == "search" else name): value for name, value in said.items()}
    fields = Query.__dataclass_fields__
    return Query(**{name: value for name, value in known.items() if name in fields and value is not None})


def _power_of_ten(number: int) -> int | None:
    """Which power of ten a number from 10 on is, if it is one."""
    power = len(str(number)) - 1
    return power if power and number == 10**power else None


@dataclass(frozen=True)
class Condition:
    """A search over rows `e` of the slots `values["slots"]`.

    `kinds` and `paths` are stretches of the indexes, `tests` judge row by row. `keys` follow from the tests; the word
    index looks them up. `by_word` tells whether it can find the matches.
    """

    kinds: tuple[str, ...]
    paths: tuple[str, ...]
    keys: tuple[str, ...]
    tests: tuple[str, ...]
    values: dict[str, Any]
    by_word: bool

    @property
    def judged(self) -> str:
        """Everything, as SQL to judge rows by."""
        return " AND ".join((*self.kinds, *self.paths, *self.tests)) or "true"

    @property
    def whole(self) -> str:
        """Everything, as SQL to find rows by."""
        return " AND ".join((*self.kinds, *self.paths, *self.keys, *self.tests)) or "true"


def slots_of(state: StackState, query: Query) -> list[int]:
    """The slots that a search looks into."""
    chosen = state.shadowing() if query.flag == "shadowed" else state.winning
    if query.source is not None:
        chosen = [slot for slot in chosen if str(state.by_slot[slot].source) == query.source]
    return chosen


def condition_of(db: Session, state: StackState, query: Query) -> Condition:
    """The condition of a search, for statements over `entries e`."""
    return with_words(state, query, words_of(db, state, query.words))


def with_words(state: StackState, query: Query, words: Words) -> Condition:
    """The condition of a search whose words were worked out already."""
    values: dict[str, Any] = {"slots": slots_of(state, query), "project": state.project} | words.values
    kinds, paths, tests = list[str](), list[str](), [*words.tests]
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
    return Condition(tuple(kinds), tuple(paths), words.keys, tuple(tests), values, words.by_word)


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
def all_matches(db: Session, state: StackState, columns: str, asked: Condition, tail: str = "") -> Iterator[str]:
    """A SELECT of all matches, with the planner bound to the word index while it runs, where that can find them.

    Where it cannot, rows are read one after the other, which the planner does on all cores.
    """
    if not asked.by_word:
        with without(db, "enable_bitmapscan"):
            yield f"SELECT {columns} FROM entries e WHERE e.slot = ANY(:slots) AND {asked.whole} {tail}"
        return
    # A slot with most of all rows is better told apart after looking words up: in the index it costs as much as three.
    slots = [
        f"e.slot{' + 0' if asked.keys and 2 * state.by_slot[slot].entries > state.everything else ''} = {slot}"
        for slot in asked.values["slots"]
    ]
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

"""Things of the game from its own tables: who they are, and which entries belong to them."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Iterable
from dataclasses import dataclass

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.knowledge import databases
from pruxel.core.knowledge.profile import GameTable
from pruxel.core.knowledge.slots import filled, placeholders

PARTS = ("portrait", "model", "skeleton", "clips", "textures", "variants")
_LARGEST = 64 << 20
_MOST_ROWS = 200_000


@dataclass(frozen=True)
class Card:
    """One thing: its code and name, the entries of each part, and the parts that the table promises in vain.

    `wears` gives the entry that stands in each slot.
    """

    group: str
    code: str
    name: str
    parts: dict[str, tuple[str, ...]]
    missing: tuple[str, ...]
    wears: dict[str, str]


def read_rows(data: memoryview, name: str) -> list[dict[str, str]]:
    """The rows of a comma-, semicolon- or tab-separated table with a head line; of a database, what tables it holds.

    Raises `InputError`.
    """
    if len(data) > _LARGEST:
        raise InputError(ErrorCode.BUDGET, "the table is too large", file=name, expected=f"at most {_LARGEST:,} bytes")
    if data[: len(databases.MAGIC)] == databases.MAGIC:
        return databases.tables_of(data, name)
    try:
        text = bytes(data).decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise InputError(ErrorCode.MALFORMED, "the table is not UTF-8 text", file=name, offset=error.start) from error
    first = text.split("\n", 1)[0]
    mark = max("\t;,", key=first.count)
    try:
        rows = list(csv.DictReader(io.StringIO(text), delimiter=mark))
    except csv.Error as error:
        raise InputError(ErrorCode.MALFORMED, f"the table cannot be read ({error})", file=name) from error
    return [{k: v or "" for k, v in row.items() if k is not None} for row in rows[:_MOST_ROWS]]


def read_pairs(text: str) -> dict[str, str]:
    """Code → name from lines of both, parted by a tab, `=`, `;`, `,` or the first space; others are passed over."""
    found: dict[str, str] = {}
    for line in text.splitlines()[:_MOST_ROWS]:
        mark = next((m for m in "\t=;," if m in line), " ")
        code, _, name = (word.strip() for word in line.strip().partition(mark))
        if code and name:
            found[code] = name
    return found


def names_by_code(table: GameTable, rows: Iterable[dict[str, str]]) -> dict[str, str]:
    """Code → name of a table; raises `InputError` when a column is not there."""
    return {code: row[table.name].strip() for code, row in rows_by_code(table, rows).items()}


def rows_by_code(table: GameTable, rows: Iterable[dict[str, str]]) -> dict[str, dict[str, str]]:
    """Code → row of a table; raises `InputError` when a column is not there."""
    found: dict[str, dict[str, str]] = {}
    for row in rows:
        for column in (table.id, table.name):
            if column not in row:
                raise InputError(
                    ErrorCode.MALFORMED,
                    "the table lacks a column",
                    file=table.file,
                    field=column,
                    expected=f"a column '{column}'",
                    found=", ".join(row),
                    hint="Correct the profile's 'tables'.",
                )
        if row[table.id].strip():
            found[row[table.id].strip()] = row
    return found


def build_cards(
    table: GameTable, rows: dict[str, dict[str, str]], find: Callable[[str], tuple[str, ...]]
) -> list[Card]:
    """A card for every row, by its code; `find` gives the paths that a pattern means."""
    cards = []
    for code, row in rows.items():
        words = {column: value.strip() for column, value in row.items()} | {"id": code}
        parts: dict[str, tuple[str, ...]] = {}
        missing = []
        for part in PARTS:
            pattern: str | None = getattr(table, part)
            if pattern is None:
                continue
            parts[part] = find(filled(pattern, words))
            if not parts[part] and part != "variants":
                missing.append(part)
        wears: dict[str, str] = {}
        for slot, pattern in table.wears.items():
            # An empty column means that nothing stands there.
            if any(not words.get(word, "") for word in placeholders(pattern)):
                continue
            there = find(filled(pattern, words))
            if there:
                wears[slot] = there[0]
            else:
                missing.append(slot)
        cards.append(Card(table.group, code, words[table.name], parts, tuple(missing), wears))
    return cards


def is_catalogue(table: GameTable) -> bool:
    """Whether a table makes cards rather than aliases only."""
    return table.model is not None or table.portrait is not None

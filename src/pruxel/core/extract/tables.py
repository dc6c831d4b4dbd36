"""Tables of a layout → rows of texts by column: names of things, prices, lists of parts."""

from __future__ import annotations

import numpy as np

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.binary.records import Record
from pruxel.core.binary.schema import ExpressionText, Strict
from pruxel.core.binary.values import text_of, value_of
from pruxel.core.extract.file import ParsedFile, rows

_MOST_ROWS = 500_000
_TABLE = "table"


class TablesSpec(Strict):
    """Where tables keep their rows: one table an item of `each`, the whole file being one without it."""

    each: ExpressionText | None = None
    """The records that are tables; the name of each stands before its rows."""
    where: ExpressionText | None = None
    """A condition: which of them count."""
    name: ExpressionText | None = None
    """Of the table."""
    rows: ExpressionText
    """Records, a list, or how many."""
    columns: dict[str, ExpressionText]
    """What stands in each column: a number or a text, said of a row. Several numbers stand beside each other."""


def read_tables(file: ParsedFile, context: Context) -> list[dict[str, str]]:
    """The rows of all tables, each a text by column; raises `InputError`."""
    spec = file.spec("tables", TablesSpec)
    found: list[dict[str, str]] = []
    for number, scope in enumerate(rows(spec.each, spec.where, file.head, file.entry)):
        name = f"{file.stem}.{number}" if spec.name is None else text_of(spec.name, scope, file.entry)
        before = {} if spec.each is None else {_TABLE: name}
        for row in rows(spec.rows, None, scope, file.entry):
            if len(found) % 1024 == 0:
                context.check()
            if len(found) >= _MOST_ROWS:
                raise InputError(
                    ErrorCode.BUDGET, "the table is too long", file=file.entry, expected=f"at most {_MOST_ROWS:,} rows"
                )
            found.append(before | {title: _cell(text, row, file.entry) for title, text in spec.columns.items()})
    return found


def _cell(text: str, row: Record, entry: str) -> str:
    value = value_of(text, row, entry)
    if isinstance(value, np.ndarray):
        value = value.reshape(-1).tolist()
    if isinstance(value, tuple | list) and all(isinstance(one, int | float | str) for one in value):
        return " ".join(str(one) for one in value)
    return text_of(text, row, entry)

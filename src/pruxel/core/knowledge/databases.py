"""What a SQLite database holds: its tables, their columns, and how many rows each has."""

from __future__ import annotations

import sqlite3
from contextlib import closing

from pruxel.core.base.errors import ErrorCode, InputError

MAGIC = b"SQLite format 3\x00"
_MOST_TABLES = 500
_MOST_STEPS = 2_000


def tables_of(data: memoryview, name: str) -> list[dict[str, str]]:
    """A row a table: its name, rows and columns. Only a copy in memory is opened; raises `InputError`."""
    try:
        with closing(sqlite3.connect(":memory:")) as base:
            base.deserialize(bytes(data))
            # A file made to run on for ever is stopped: each call stands for some thousand steps of the database.
            budget = iter(range(_MOST_STEPS))
            base.set_progress_handler(lambda: 1 if next(budget, None) is None else 0, 10_000)
            listed = base.execute("SELECT name FROM sqlite_master WHERE type = 'table' ORDER BY name")
            tables = [str(row[0]) for row in listed.fetchmany(_MOST_TABLES)]
            return [_described(base, table) for table in tables]
    except sqlite3.Error as error:
        raise InputError(
            ErrorCode.MALFORMED,
            f"the database cannot be read ({error})",
            file=name,
            expected="a SQLite 3 database",
            hint="It may be damaged, or need a program of its own; save it to look at it elsewhere.",
        ) from error


def _described(base: sqlite3.Connection, table: str) -> dict[str, str]:
    quoted = '"' + table.replace('"', '""') + '"'
    columns = ", ".join(str(row[1]) for row in base.execute(f"PRAGMA table_info({quoted})"))
    rows = base.execute(f"SELECT count(*) FROM {quoted}").fetchone()[0]  # noqa: S608 - quoted as SQL quotes names
    return {"table": table, "rows": f"{rows:,}", "columns": columns}

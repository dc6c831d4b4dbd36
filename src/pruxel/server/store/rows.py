"""Rows that two jobs may store at one moment: whoever is second replaces, or leaves alone, instead of failing."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from sqlalchemy import Table, inspect
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from pruxel.server.store.tables import Base


def put_row(db: Session, table: type[Base], values: Mapping[str, Any]) -> None:
    """Store a row, in place of one with its key; columns without a value stay as they are there."""
    keys = _keys(table)
    made = insert(table).values(values)
    rest = {name: made.excluded[name] for name in values if name not in keys}
    db.execute(made.on_conflict_do_update(index_elements=keys, set_=rest))


def add_row(db: Session, table: type[Base], values: Mapping[str, Any]) -> None:
    """Store a row unless there is one with its key."""
    db.execute(insert(table).values(values).on_conflict_do_nothing(index_elements=_keys(table)))


def _keys(table: type[Base]) -> list[str]:
    stored = inspect(table).local_table
    assert isinstance(stored, Table)
    return [column.name for column in stored.primary_key.columns]

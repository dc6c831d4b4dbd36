"""Entries that could not be drawn, each with its reason: they are not tried again until the sources are read anew."""

from __future__ import annotations

import uuid

from sqlalchemy import delete, select, update
from sqlalchemy.orm import Session

from pruxel.core.base.errors import Fault
from pruxel.server.store.harm import EntryFault
from pruxel.server.store.rows import put_row
from pruxel.server.store.tables import EntryRow

# Instead of a picture's key, until the sources are read anew.
NOT_DRAWABLE = ""


def set_aside(db: Session, project: uuid.UUID, row: EntryRow, fault: Fault) -> None:
    """Mark an entry as not drawable and keep why."""
    db.execute(update(EntryRow).where(EntryRow.id == row.id).values(picture=NOT_DRAWABLE))
    values = {"entry": row.id, "project_id": project, "path": row.path, "fault": fault.as_dict()}
    put_row(db, EntryFault, values)


def faults_of(db: Session, project: uuid.UUID, most: int) -> list[EntryFault]:
    """The entries set aside, by path."""
    wanted = select(EntryFault).where(EntryFault.project_id == project).order_by(EntryFault.path).limit(most)
    return list(db.execute(wanted).scalars())


def try_again(db: Session, project: uuid.UUID) -> None:
    """With other sources, keys or layouts what could not be drawn may be: forget the reasons and the marks."""
    gone = delete(EntryFault).where(EntryFault.project_id == project).returning(EntryFault.entry)
    entries = list(db.execute(gone).scalars())
    db.execute(update(EntryRow).where(EntryRow.id.in_(entries), EntryRow.picture == NOT_DRAWABLE).values(picture=None))

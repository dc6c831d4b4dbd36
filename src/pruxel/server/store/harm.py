"""The tables of what did harm: entries that could not be drawn, and files that brought work down."""

from __future__ import annotations

import uuid
from typing import Any

from sqlalchemy import ForeignKey, Integer
from sqlalchemy.orm import Mapped, mapped_column

from pruxel.server.store.tables import Base


class EntryFault(Base):
    """Why an entry could not be drawn."""

    __tablename__ = "entry_faults"

    entry: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    project_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"), index=True)
    path: Mapped[str]
    fault: Mapped[dict[str, Any]]


class Setback(Base):
    """A file that brought work down: an entry by its path or a source by its address, and how often it did."""

    __tablename__ = "setbacks"

    project_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"), primary_key=True)
    kind: Mapped[str] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(primary_key=True)
    stamp: Mapped[str]
    version: Mapped[str]
    times: Mapped[int] = mapped_column(Integer)
    fault: Mapped[dict[str, Any]]

"""Files that brought work down, hung or took too much: how often, and whether that is still their doing."""

from __future__ import annotations

import hashlib
import uuid
from collections.abc import Iterable
from dataclasses import replace

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from pruxel import __version__
from pruxel.core.base.errors import Fault
from pruxel.server.store.harm import Setback
from pruxel.server.store.rows import put_row

TIMES = 2
_LONGEST = 500
_HINT = "It is left alone until it changes or the program is updated. Everything else goes on; its bytes can be saved."


def set_back(db: Session, project: uuid.UUID, kind: str, name: str, stamp: str, fault: Fault) -> None:
    """Count once more that a file did harm; one that has changed since begins anew."""
    name = key_of(name)
    known = db.get(Setback, (project, kind, name), with_for_update=True)
    times = known.times + 1 if known is not None and _still(known, stamp) else 1
    told = {"stamp": stamp, "version": __version__, "times": times, "fault": fault.as_dict()}
    put_row(db, Setback, {"project_id": project, "kind": kind, "name": name} | told)


def set_asides(db: Session, project: uuid.UUID) -> dict[tuple[str, str], tuple[str, Fault]]:
    """What is left alone, by kind and key of its name: its stamp, and why."""
    wanted = (Setback.project_id == project, Setback.times >= TIMES, Setback.version == __version__)
    rows = db.execute(select(Setback).where(*wanted)).scalars()
    return {(row.kind, row.name): (row.stamp, replace(Fault(**row.fault), hint=_HINT)) for row in rows}


def forgive(db: Session, project: uuid.UUID, kind: str, names: Iterable[str]) -> None:
    """A person asks for it: tried as if nothing had happened."""
    chosen = (Setback.project_id == project, Setback.kind == kind, Setback.name.in_([key_of(name) for name in names]))
    db.execute(delete(Setback).where(*chosen))


def key_of(name: str) -> str:
    """A name that an index takes, however long it is."""
    return name if len(name) <= _LONGEST else f"{name[:_LONGEST]}…{hashlib.sha256(name.encode()).hexdigest()}"


def _still(known: Setback, stamp: str) -> bool:
    return known.stamp == stamp and known.version == __version__

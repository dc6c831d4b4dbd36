"""Deliveries are ordered here: by a person, or by a batch for each of its items."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Protocol

from sqlalchemy.orm import Session

from pruxel.core.disk.names import safe_path
from pruxel.server.jobs.queue import put_job
from pruxel.server.store.jobs import tell
from pruxel.server.store.revisions import steps_of
from pruxel.server.store.tables import Delivery, Workpiece


class Wanted(Protocol):
    """How something is delivered: formats, the options of each, the plan of files, a folder below the output root."""

    @property
    def formats(self) -> list[Any]:
        """Their names."""

    @property
    def options(self) -> dict[str, Any]:
        """By format."""

    @property
    def plan(self) -> dict[str, Any]:
        """What goes into which files."""

    @property
    def below(self) -> str:
        """The folder."""


def put_delivery(db: Session, pieces: Sequence[Workpiece], name: str, wanted: Wanted) -> Delivery:
    """Store a delivery of workpieces with the steps that they have now, and the job that writes it."""
    piece = pieces[0]
    made = Delivery(
        project_id=piece.project_id,
        workpiece_id=piece.id,
        name=name,
        formats=wanted.formats,
        options=wanted.options,
        plan=wanted.plan,
        below=safe_path(wanted.below) if wanted.below.strip(" /\\.") else "",
        steps=steps_of(db, piece),
        also=[
            {
                "workpiece": str(one.id),
                "name": one.name,
                "entries": one.entries,
                "steps": steps_of(db, one),
                "settled": one.settled,
            }
            for one in pieces[1:]
        ],
    )
    db.add(made)
    db.flush()
    payload = {"delivery": str(made.id), "key": str(made.id)}
    made.job_id = put_job(db, piece.project_id, "deliver", f"Delivering {name}", payload).id
    db.flush()
    tell(db, {"changed": "deliveries", "project_id": str(piece.project_id)})
    return made

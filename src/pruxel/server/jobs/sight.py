"""Pictures of what somebody looks at are drawn before all others."""

from __future__ import annotations

import uuid
from collections.abc import Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session

from pruxel.core.knowledge.kinds import DRAWN
from pruxel.server.jobs.queue import put_job
from pruxel.server.store.database import session
from pruxel.server.store.stack_state import StackState
from pruxel.server.store.tables import EntryRow

_MOST_IN_SIGHT = 200


def draw_first(db: Session, project: uuid.UUID, entries: Sequence[int]) -> None:
    """Draw the pictures of entries first; what was wanted before and waits still comes behind."""
    wanted = list(entries[:_MOST_IN_SIGHT])
    while True:
        job = put_job(db, project, "sight", "Drawing what is in sight", {"key": "sight", "entries": wanted})
        if job.payload["entries"] == wanted:
            return
        # It is held, so that no worker takes it up as it was while more is added; one that is taken up adds nothing.
        db.refresh(job, with_for_update=True)
        if job.status == "queued":
            before = [entry for entry in job.payload["entries"] if entry not in wanted]
            job.payload = job.payload | {"entries": [*wanted, *before][:_MOST_IN_SIGHT]}
            return


def draw_soon(state: StackState, paths: Sequence[str]) -> None:
    """The same for entries by their paths, those that lack a picture; without any, the database is left alone."""
    if not paths:
        return
    lacking = (EntryRow.picture.is_(None), EntryRow.kind.in_(DRAWN))
    with session() as db:
        wanted = (EntryRow.slot.in_(state.winning), EntryRow.path.in_(paths), *lacking)
        found = list(db.execute(select(EntryRow.id).where(*wanted).order_by(EntryRow.path)).scalars())
        if found:
            draw_first(db, state.project, found)

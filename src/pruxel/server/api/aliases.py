"""Names in bulk, from tables and lists of codes."""

from __future__ import annotations

from dataclasses import asdict
from uuid import UUID, uuid4

from fastapi import APIRouter
from sqlalchemy import CursorResult, delete, update

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.server.api.browse_models import NamingIn, NamingOut
from pruxel.server.api.models import JobOut
from pruxel.server.api.sources import state_of
from pruxel.server.jobs.aliases import LISTED, Naming, try_naming
from pruxel.server.jobs.aside import aside
from pruxel.server.jobs.queue import put_job, put_names_again
from pruxel.server.store.database import session
from pruxel.server.store.jobs import job_details
from pruxel.server.store.marks import names_changed
from pruxel.server.store.tables import Mark

router = APIRouter(tags=["aliases"])


@router.post("/projects/{project}/naming/try")
def try_names(project: UUID, wanted: NamingIn) -> NamingOut:
    """What naming in bulk would do; nothing is changed."""
    return NamingOut.model_validate(aside(try_naming, project, Naming(**wanted.model_dump())))


@router.post("/projects/{project}/naming", status_code=202)
def give_names(project: UUID, wanted: NamingIn) -> JobOut:
    """Give names in bulk. What a person wrote at a single entry or folder stays."""
    if "{id}" not in wanted.pattern:
        raise InputError(
            ErrorCode.USAGE,
            "the pattern does not say where the code stands",
            expected="{id} in it, such as props/p{id}/**",
            found=repr(wanted.pattern),
        )
    with session() as db:
        state_of(db, project)
        payload = {"key": str(uuid4()), "naming": asdict(Naming(**wanted.model_dump()))}
        job = put_job(db, project, "naming", "Giving names", payload)
    return JobOut.model_validate(job_details(job))


@router.delete("/projects/{project}/naming")
def take_names_back(project: UUID) -> int:
    """Take all names back that were given in bulk; what the game's tables say comes back. Returns how many."""
    mine = (Mark.project_id == project, Mark.origin == LISTED)
    with session() as db:
        alone = (Mark.note == "", ~Mark.star, ~Mark.seen)
        gone = db.execute(delete(Mark).where(*mine, *alone))
        kept = db.execute(update(Mark).where(*mine).values(alias="", origin=""))
        put_names_again(db, project)
        names_changed(db, project)
    return sum(found.rowcount for found in (gone, kept) if isinstance(found, CursorResult))

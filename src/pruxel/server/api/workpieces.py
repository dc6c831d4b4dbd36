"""The Bench: workpieces, steps, views."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any
from uuid import UUID

from fastapi import APIRouter
from sqlalchemy import select
from sqlalchemy.orm import Session

import pruxel.core.findings
import pruxel.core.steps  # noqa: F401 - registers all steps
from pruxel.core.findings.registry import RULES
from pruxel.core.recipe.document import StepUse
from pruxel.core.recipe.rules import check_rule
from pruxel.core.steps.registry import STEPS
from pruxel.server.api.models import (
    NameIn,
    RuleOut,
    SettledIn,
    SlotOut,
    StepKindOut,
    StepModel,
    StepsIn,
    WorkpieceIn,
    WorkpieceOut,
)
from pruxel.server.api.view_models import ViewContent, ViewOut
from pruxel.server.jobs.aside import aside
from pruxel.server.jobs.queue import put_job
from pruxel.server.jobs.slots import slots_for
from pruxel.server.jobs.stacks import at_source, fingerprint, stored_stack
from pruxel.server.jobs.view import view_key
from pruxel.server.jobs.workpieces import workpiece_of
from pruxel.server.store.blobs import has_blob
from pruxel.server.store.database import reading, session
from pruxel.server.store.jobs import ask_all_to_stop, overtake, tell
from pruxel.server.store.missing import not_found
from pruxel.server.store.named import name_apart
from pruxel.server.store.revisions import add_revision, ends_of, move, steps_of
from pruxel.server.store.tables import Delivery, Job, View, Workpiece

router = APIRouter(tags=["workpieces"])


def _out(db: Session, w: Workpiece) -> WorkpieceOut:
    first, last = ends_of(db, w)
    return WorkpieceOut(
        id=w.id,
        name=w.name,
        entries=w.entries,
        steps=[StepModel.model_validate(s) for s in steps_of(db, w)],
        can_undo=w.at > first,
        can_redo=w.at < last,
        settled=w.settled,
    )


@router.get("/steps")
def list_steps() -> list[StepKindOut]:
    """Every step there is, with the JSON schema of its parameters."""
    return [
        StepKindOut(
            name=s.name, title=s.title, about=s.about, group=s.group, acts_on_parts=s.acts_on_parts,
            parameters=s.params.model_json_schema(),
        )
        for s in STEPS
    ]  # fmt: skip


@router.get("/rules")
def list_rules() -> list[RuleOut]:
    """Every rule of findings, by the name that a step's rule gives it."""
    return [RuleOut(name=one.name, title=one.title) for one in RULES]


@router.get("/projects/{project}/workpieces")
def list_workpieces(project: UUID) -> list[WorkpieceOut]:
    """All workpieces, newest first."""
    with reading() as db:
        rows = db.execute(
            select(Workpiece).where(Workpiece.project_id == project).order_by(Workpiece.created.desc())
        ).scalars()
        found = list(rows.all())
        pictures = _pictures(db, found)
        return [_out(db, w).model_copy(update={"picture": pictures.get(w.id, "")}) for w in found]


def _pictures(db: Session, workpieces: Sequence[Workpiece]) -> dict[UUID, str]:
    """How workpieces came out, where that was drawn since they, or their files, changed last."""
    now = fingerprint(workpieces[0].project_id) if workpieces else ""
    keys = {view_key(w, steps_of(db, w), now): w.id for w in workpieces}
    last = View.content["pictures"][-1].astext
    return {keys[key]: drawn or "" for key, drawn in db.execute(select(View.key, last).where(View.key.in_(keys)))}


@router.post("/projects/{project}/workpieces", status_code=201)
def open_workpiece(project: UUID, wanted: WorkpieceIn) -> WorkpieceOut:
    """Put entries on the Bench; the same choice opens the same workpiece again."""
    stack = stored_stack(project)
    entries = wanted.entries if wanted.source is None else [at_source(wanted.source, path) for path in wanted.entries]
    with session() as db:
        return _out(db, workpiece_of(db, stack, entries, wanted.wears, wanted.name))


def _workpiece(db: Session, workpiece: UUID, *, to_change: bool = False) -> Workpiece:
    found = db.get(Workpiece, workpiece, with_for_update=to_change)
    if found is None:
        raise not_found("workpiece")
    return found


def _check(wanted: StepsIn) -> None:
    """Raise `UsageError` for a step, a parameter or a rule that cannot be."""
    for use in wanted.steps:
        check_rule(StepUse.model_validate(use.model_dump()))


@router.get("/workpieces/{workpiece}")
def get_workpiece(workpiece: UUID) -> WorkpieceOut:
    """One workpiece."""
    with reading() as db:
        return _out(db, _workpiece(db, workpiece))


@router.get("/workpieces/{workpiece}/slots")
def list_slots(workpiece: UUID) -> list[SlotOut]:
    """What the thing is made of: its slots, and which entries may stand in each."""
    with reading() as db:
        found = _workpiece(db, workpiece)
        project, entries = found.project_id, found.entries
    return [SlotOut.model_validate(one) for one in aside(slots_for, project, entries)]


@router.patch("/workpieces/{workpiece}")
def rename_workpiece(workpiece: UUID, wanted: NameIn) -> WorkpieceOut:
    """Give a workpiece another name."""
    with session() as db:
        found = _workpiece(db, workpiece, to_change=True)
        found.name = wanted.name
        tell(db, {"changed": "workpieces", "project_id": str(found.project_id)})
        return _out(db, found)


@router.post("/workpieces/{workpiece}/copy", status_code=201)
def copy_workpiece(workpiece: UUID) -> WorkpieceOut:
    """Another of the same entries with the same steps, to go on with in another way."""
    with session() as db:
        found = _workpiece(db, workpiece)
        named = select(Workpiece.name).where(Workpiece.project_id == found.project_id)
        made = Workpiece(
            project_id=found.project_id,
            name=name_apart(found.name, set(db.execute(named).scalars())),
            entries=found.entries,
            wears=found.wears,
            at=0,
            settled=found.settled,
        )  # fmt: skip
        db.add(made)
        db.flush()
        add_revision(db, made, steps_of(db, found))
        tell(db, {"changed": "workpieces", "project_id": str(found.project_id)})
        return _out(db, made)


@router.delete("/workpieces/{workpiece}", status_code=204)
def remove_workpiece(workpiece: UUID) -> None:
    """Remove a workpiece with its steps; files that were delivered from it stay on disk."""
    with session() as db:
        found = _workpiece(db, workpiece, to_change=True)
        ask_all_to_stop(db, Job.id.in_(select(Delivery.job_id).where(Delivery.workpiece_id == found.id)))
        tell(db, {"changed": "workpieces", "project_id": str(found.project_id)})
        db.delete(found)


@router.put("/workpieces/{workpiece}/steps")
def set_steps(workpiece: UUID, wanted: StepsIn) -> WorkpieceOut:
    """Replace the list of steps; the old list can be had back by undo. Parameters are checked first."""
    _check(wanted)
    with session() as db:
        found = _workpiece(db, workpiece, to_change=True)
        add_revision(db, found, [s.model_dump() for s in wanted.steps])
        return _out(db, found)


@router.put("/workpieces/{workpiece}/settled")
def settle_findings(workpiece: UUID, wanted: SettledIn) -> WorkpieceOut:
    """Say which findings are meant so; they are put aside from then on, and batches do not count them."""
    with session() as db:
        found = _workpiece(db, workpiece, to_change=True)
        found.settled = sorted(set(wanted.settled))
        db.flush()
        tell(db, {"changed": "workpieces", "project_id": str(found.project_id)})
        return _out(db, found)


@router.post("/workpieces/{workpiece}/undo")
def undo(workpiece: UUID) -> WorkpieceOut:
    """The steps as they were before the last change."""
    with session() as db:
        found = _workpiece(db, workpiece, to_change=True)
        move(db, found, -1)
        return _out(db, found)


@router.post("/workpieces/{workpiece}/redo")
def redo(workpiece: UUID) -> WorkpieceOut:
    """The steps as they were before the last undo."""
    with session() as db:
        found = _workpiece(db, workpiece, to_change=True)
        move(db, found, 1)
        return _out(db, found)


def _asked(found: Workpiece, key: str, steps: list[Any]) -> dict[str, Any]:
    """What a job must know to find out what a workpiece comes out as."""
    told = {"key": key, "workpiece": str(found.id), "entries": found.entries, "steps": steps}
    return told | {"settled": found.settled}


@router.post("/workpieces/{workpiece}/preview")
def preview_steps(workpiece: UUID, wanted: StepsIn) -> ViewOut:
    """What the workpiece would come out as with other steps, which are not kept; asked for again as for a view."""
    _check(wanted)
    with reading() as db:
        found = _workpiece(db, workpiece)
        steps = [s.model_dump() for s in wanted.steps]
        key = view_key(found, steps)
        stored = db.get(View, key)
    if stored is not None and has_blob(stored.content["scene"]):
        return ViewOut(key=key, content=ViewContent.model_validate(stored.content), job=None)
    payload = _asked(found, key, steps)
    with session() as db:
        job = put_job(db, found.project_id, "preview", f"Trying a step on {found.name}", payload)
        overtake(db, job, "workpiece")
    return ViewOut(key=key, content=None, job=job.id)


@router.get("/workpieces/{workpiece}/view")
def get_view(workpiece: UUID) -> ViewOut:
    """What the workpiece comes out as, as far as it is known; starts the job that finds out when nobody has yet."""
    with reading() as db:
        found = _workpiece(db, workpiece)
        steps = steps_of(db, found)
        key = view_key(found, steps)
        stored = db.get(View, key)
    if stored is not None and not has_blob(stored.content["scene"]):
        stored = None
    if stored is not None and stored.content["findings"] is not None and len(stored.content["pictures"]) > len(steps):
        return ViewOut(key=key, content=ViewContent.model_validate(stored.content), job=None)
    payload = _asked(found, key, steps)
    with session() as db:
        job = put_job(db, found.project_id, "view", f"Opening {found.name}", payload)
        overtake(db, job, "workpiece")
    content = None if stored is None else ViewContent.model_validate(stored.content)
    return ViewOut(key=key, content=content, job=job.id)

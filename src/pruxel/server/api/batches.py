"""Batches: a recipe over many items, first as a dry run, then kept and delivered."""

from __future__ import annotations

from dataclasses import replace
from typing import Any
from uuid import UUID

from fastapi import APIRouter
from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.batch.compare import compare_items
from pruxel.core.batch.items import item_of
from pruxel.core.recipe.document import StepUse
from pruxel.core.recipe.rules import check_rule
from pruxel.server.api.batch_models import MOST_ITEMS, BatchAgain, BatchItemOut, BatchOut, BatchSteps, BatchWhole
from pruxel.server.api.deliveries import check_wanted
from pruxel.server.api.models import NameIn, StepModel
from pruxel.server.jobs.queue import put_job
from pruxel.server.jobs.stacks import stored_stack
from pruxel.server.jobs.workpieces import name_of
from pruxel.server.store.batches import KIND, LANES, Batch, BatchItem, counts, free_items, lanes_of, wait_again
from pruxel.server.store.conditions import Query, query_of
from pruxel.server.store.database import reading, session
from pruxel.server.store.jobs import ask_to_stop, tell
from pruxel.server.store.missing import not_found
from pruxel.server.store.search import page
from pruxel.server.store.tables import Delivery, Project

router = APIRouter(tags=["batches"])


def _out(db: Session, batch: Batch) -> BatchOut:
    return BatchOut(
        id=batch.id,
        name=batch.name,
        steps=[StepModel.model_validate(step) for step in batch.steps],
        dry=batch.dry,
        delivers=bool(batch.wanted),
        before=batch.before,
        created=batch.created.isoformat(),
        counts=counts(db, batch.id),
        working=bool(lanes_of(db, batch)),
    )


def _batch(db: Session, batch: UUID) -> Batch:
    found = db.get(Batch, batch)
    if found is None:
        raise not_found("batch")
    return found


def _work(db: Session, batch: Batch) -> None:
    """Let jobs take up what waits; one that is at it already is not doubled."""
    free_items(db, batch)
    waiting = counts(db, batch.id).get("waiting", 0)
    for lane in range(min(LANES, waiting)):
        words = f"Running {batch.name}" if lane == 0 else f"Running {batch.name}, beside"
        put_job(db, batch.project_id, KIND, words, {"batch": str(batch.id), "key": f"{batch.id}/{lane}"})


@router.get("/projects/{project}/batches")
def list_batches(project: UUID) -> list[BatchOut]:
    """All batches, newest first."""
    with reading() as db:
        rows = db.execute(select(Batch).where(Batch.project_id == project).order_by(Batch.created.desc(), Batch.name))
        return [_out(db, row) for row in rows.scalars()]


@router.post("/projects/{project}/batches", status_code=202)
def run_batch(project: UUID, wanted: BatchSteps) -> BatchOut:
    """Run steps on each of these entries. Steps, rules and options are checked first."""
    for use in wanted.steps:
        check_rule(StepUse.model_validate(use.model_dump()))
    if wanted.wanted is not None:
        check_wanted(wanted.wanted)
    found = [] if wanted.query is None else _models_found(project, query_of(wanted.query))
    with session() as db:
        if db.get(Project, project) is None:
            raise not_found("project")
        steps = [use.model_dump() for use in wanted.steps]
        paths = dict.fromkeys([*wanted.entries, *found])
        items = [BatchItem(name=name_of([path]), entries=[path], wears={}) for path in paths]
        items += [BatchItem(name=one.name, entries=one.entries, wears=one.wears) for one in wanted.things]
        if not items:
            raise UsageError(
                ErrorCode.USAGE,
                "there is nothing to run it on",
                expected="entries, a search that finds models, or things",
            )
        made = _start(db, Batch(project_id=project, name=wanted.name, steps=steps), items, wanted)
        return _out(db, made)


def _models_found(project: UUID, query: Query) -> list[str]:
    """The paths of all models among what a search finds; raises `UsageError` for too many."""
    if query.kind not in {None, "", "model"}:
        return []
    asked = replace(query, kind="model", sort="path", down=False)
    with reading() as db:
        rows = page(db, stored_stack(project).state, asked, offset=0, limit=MOST_ITEMS + 1)
    if len(rows) > MOST_ITEMS:
        raise UsageError(
            ErrorCode.USAGE,
            "more models are found than one batch takes",
            expected=f"at most {MOST_ITEMS:,}",
            hint="Search more closely, or folder by folder.",
        )
    return [row.path for row in rows]


def _start(db: Session, batch: Batch, items: list[BatchItem], how: BatchSteps | BatchAgain) -> Batch:
    batch.dry = how.dry
    batch.wanted = None if how.wanted is None or how.dry else how.wanted.model_dump()
    db.add(batch)
    db.flush()
    for position, item in enumerate(items):
        item.batch_id, item.position = batch.id, position
    db.add_all(items)
    db.flush()
    _work(db, batch)
    tell(db, {"changed": "batches", "project_id": str(batch.project_id), "batch": str(batch.id)})
    return batch


@router.get("/batches/{batch}")
def get_batch(batch: UUID) -> BatchWhole:
    """One batch with what became of each item, and what is other than in the run before."""
    with reading() as db:
        found = _batch(db, batch)
        rows = _items(db, found.id)
        earlier = {} if found.before is None else {_key(row): row.told for row in _items(db, found.before)}
        reports = _reports(db, rows)
        items = [_item_out(row, earlier.get(_key(row)), reports) for row in rows]
        return BatchWhole(**_out(db, found).model_dump(), items=items)


def _key(row: BatchItem) -> tuple[str, ...]:
    """What an item is known by from run to run."""
    return (*row.entries, *(f"{slot}={path}" for slot, path in sorted(row.wears.items())))


def _items(db: Session, batch: UUID) -> list[BatchItem]:
    rows = select(BatchItem).where(BatchItem.batch_id == batch).order_by(BatchItem.position)
    return list(db.execute(rows).scalars())


def _reports(db: Session, rows: list[BatchItem]) -> dict[UUID, str]:
    """What deliveries came to, by their ids: empty while they are written."""
    wanted = [row.delivery_id for row in rows if row.delivery_id is not None]
    found = db.execute(select(Delivery.id, Delivery.report["outcome"].astext).where(Delivery.id.in_(wanted)))
    return {delivery: outcome or "being written" for delivery, outcome in found}


def _item_out(row: BatchItem, before: dict[str, Any] | None, reports: dict[UUID, str]) -> BatchItemOut:
    told: dict[str, Any] = row.told or {}
    differences: tuple[str, ...] = ()
    if before is not None and told:
        differences = compare_items(item_of(before, row.name), item_of(told, row.name))
    delivered = "" if row.delivery_id is None else reports.get(row.delivery_id, "")
    known = {key: value for key, value in told.items() if key in BatchItemOut.model_fields and key != "delivered"}
    stands = {
        "name": row.name,
        "entries": row.entries,
        "wears": row.wears,
        "state": row.state,
        "workpiece": row.workpiece_id,
    }
    return BatchItemOut(**(known | stands), differences=list(differences), delivered=delivered)


@router.patch("/batches/{batch}")
def rename_batch(batch: UUID, wanted: NameIn) -> BatchOut:
    """Give a batch another name."""
    with session() as db:
        found = _batch(db, batch)
        found.name = wanted.name
        tell(db, {"changed": "batches", "project_id": str(found.project_id), "batch": str(batch)})
        return _out(db, found)


@router.delete("/batches/{batch}", status_code=204)
def remove_batch(batch: UUID) -> None:
    """Stop a batch and forget it; workpieces and deliveries that came of it stay."""
    with session() as db:
        found = _batch(db, batch)
        for lane in lanes_of(db, found):
            ask_to_stop(db, lane)
        tell(db, {"changed": "batches", "project_id": str(found.project_id), "batch": str(batch)})
        db.execute(delete(Batch).where(Batch.id == batch))


@router.post("/batches/{batch}/stop")
def stop_batch(batch: UUID) -> BatchOut:
    """Stop after what is done: the items in hand wait again, and the batch can go on later."""
    with session() as db:
        found = _batch(db, batch)
        for lane in lanes_of(db, found):
            ask_to_stop(db, lane)
        tell(db, {"changed": "batches", "project_id": str(found.project_id), "batch": str(batch)})
        return _out(db, found)


@router.post("/batches/{batch}/go")
def go_on(batch: UUID) -> BatchOut:
    """Go on with what waits."""
    with session() as db:
        found = _batch(db, batch)
        _work(db, found)
        return _out(db, found)


@router.post("/batches/{batch}/retry")
def retry_failures(batch: UUID) -> BatchOut:
    """Try once more what failed."""
    with session() as db:
        found = _batch(db, batch)
        if not counts(db, found.id).get("failed"):
            raise UsageError(ErrorCode.USAGE, "nothing of this batch failed", found=found.name)
        wait_again(db, found.id, ("failed",))
        _work(db, found)
        return _out(db, found)


@router.post("/batches/{batch}/again", status_code=202)
def run_again(batch: UUID, wanted: BatchAgain) -> BatchOut:
    """The same steps over the same items as they are now, held against this run."""
    if wanted.wanted is not None:
        check_wanted(wanted.wanted)
    with session() as db:
        found = _batch(db, batch)
        items = [BatchItem(name=row.name, entries=row.entries, wears=row.wears) for row in _items(db, found.id)]
        made = Batch(project_id=found.project_id, name=found.name, steps=found.steps, before=found.id)
        return _out(db, _start(db, made, items, wanted))

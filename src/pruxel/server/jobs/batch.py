"""One item of a batch: its steps run, what is left told, and, unless it is a dry run, kept and delivered.

A job takes one item and then waits in the queue again, so that what a person looks at goes first.
"""

from __future__ import annotations

import uuid
from dataclasses import dataclass
from typing import Any

from sqlalchemy.exc import NoResultFound

from pruxel.core.base.context import Context
from pruxel.core.base.errors import CancelledError
from pruxel.core.batch.items import item_told
from pruxel.core.pictures.render import View as PictureView
from pruxel.core.recipe.run import RecipeRun
from pruxel.server.jobs.ordering import put_delivery
from pruxel.server.jobs.pictures import scene_picture
from pruxel.server.jobs.runner import fault_of, job_kind
from pruxel.server.jobs.slots import dressing
from pruxel.server.jobs.stacks import stored_stack
from pruxel.server.jobs.view import put_aside, run_workpiece
from pruxel.server.jobs.workpieces import check_entries, known_workpiece, workpiece_of
from pruxel.server.store.batches import Batch, BatchItem, counts, end_item, failed_item, put_back, take_item
from pruxel.server.store.database import session
from pruxel.server.store.jobs import tell
from pruxel.server.store.revisions import add_revision, steps_of
from pruxel.server.store.tables import Job

_PICTURE = PictureView(width=176, height=132, samples=1, sky_rays=6)


@dataclass(frozen=True)
class _Order:
    """How a batch delivers, as it was stored."""

    formats: list[Any]
    options: dict[str, Any]
    plan: dict[str, Any]
    below: str


@job_kind("batch")
def batch_item(job: Job, context: Context) -> bool:
    """Work on the next item; true while more may wait."""
    batch_id = uuid.UUID(job.payload["batch"])
    with session() as db:
        batch = db.get(Batch, batch_id)
        item = None if batch is None else take_item(db, batch_id, job.id)
        states = counts(db, batch_id)
    if batch is None or item is None:
        return False
    total = sum(states.values())
    ended = states.get("done", 0) + states.get("failed", 0)
    part = context.part(ended / total, (ended + 1) / total)
    try:
        part.progress(0.0, item.name)
        told, steps = _worked(batch, item, part)
        _finish(batch, item, told, steps)
    except CancelledError:
        with session() as db:
            put_back(db, batch_id, item.position)
        raise
    except NoResultFound:
        raise
    except Exception as error:  # noqa: BLE001 - logged, and told as a fault
        fault = fault_of(error, job.id)
        with session() as db:
            end_item(db, db.get_one(BatchItem, (batch_id, item.position)), failed_item(item, fault))
    return True


def _worked(batch: Batch, item: BatchItem, context: Context) -> tuple[dict[str, Any], list[Any]]:
    """What the batch's steps did after those that the item's workpiece has, and all steps together."""
    check_entries(stored_stack(batch.project_id), item.entries)
    own, settled = _own(batch, item)
    run = run_workpiece(batch.project_id, item.entries, [*own, *batch.steps], context.part(0.0, 0.7), (), settled)
    first = len(own)
    mine = RecipeRun(run.scenes[first:], run.keys[first:], run.runs[first:])
    aside = put_aside(batch.project_id, item.entries, settled)
    told = item_told(item.name, item.entries, mine, context.part(0.7, 0.85), aside).as_dict()
    return told | {"picture": scene_picture(run.scene, _PICTURE, context.part(0.85, 1.0))}, [*own, *batch.steps]


def _own(batch: Batch, item: BatchItem) -> tuple[list[Any], list[Any]]:
    """The steps of the item's workpiece, without those that an earlier run of the same put behind them.

    And the findings that are meant so in it.
    """
    with session() as db:
        known = known_workpiece(db, batch.project_id, item.entries, item.wears)
        if known is None:
            return dressing(stored_stack(batch.project_id), item.entries, item.wears), []
        steps, settled = steps_of(db, known), known.settled
    added = batch.steps
    return (steps[: len(steps) - len(added)] if added and steps[-len(added) :] == added else steps), settled


def _finish(batch: Batch, item: BatchItem, told: dict[str, Any], steps: list[Any]) -> None:
    stack = None if batch.dry else stored_stack(batch.project_id)
    with session() as db:
        stored = db.get_one(BatchItem, (batch.id, item.position))
        if stack is not None:
            piece = workpiece_of(db, stack, item.entries, item.wears, item.name)
            add_revision(db, piece, steps)
            stored.workpiece_id = piece.id
            if batch.wanted:
                stored.delivery_id = put_delivery(db, [piece], piece.name, _Order(**batch.wanted)).id
            tell(db, {"changed": "workpieces", "project_id": str(batch.project_id)})
        end_item(db, stored, told)

"""The items of batches: taken one at a time by jobs that share them, and written down as they end."""

from __future__ import annotations

import uuid
from datetime import datetime
from typing import Any

from sqlalchemy import DateTime, ForeignKey, Integer, func, select, update
from sqlalchemy.orm import Mapped, Session, mapped_column

from pruxel.core.base.errors import ErrorCode, Fault
from pruxel.server.store.jobs import ACTIVE, ATTEMPTS, change_job, tell
from pruxel.server.store.tables import Base, Job

LANES = 2
"""How many items of a batch are worked on at once."""
KIND = "batch"


class Batch(Base):
    """A list of steps over many items. A dry one changes and delivers nothing; `wanted` says how the others deliver.

    `before` is the earlier run of the same over the same that this one is held against.
    """

    __tablename__ = "batches"

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    project_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"), index=True)
    name: Mapped[str]
    steps: Mapped[list[Any]]
    dry: Mapped[bool] = mapped_column(default=True)
    wanted: Mapped[dict[str, Any] | None]
    before: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("batches.id", ondelete="SET NULL"))
    created: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())


class BatchItem(Base):
    """One item of a batch; `told`, with a `picture`, once it was worked on.

    `state` is waiting, running, done or failed.
    """

    __tablename__ = "batch_items"

    batch_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("batches.id", ondelete="CASCADE"), primary_key=True)
    position: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=False)
    name: Mapped[str]
    entries: Mapped[list[Any]]
    wears: Mapped[dict[str, Any]] = mapped_column(default=dict, server_default="{}")
    state: Mapped[str] = mapped_column(default="waiting")
    job_id: Mapped[uuid.UUID | None]
    tries: Mapped[int] = mapped_column(Integer, default=0)
    told: Mapped[dict[str, Any] | None]
    workpiece_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("workpieces.id", ondelete="SET NULL"))
    delivery_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("deliveries.id", ondelete="SET NULL"))


def take_item(db: Session, batch: uuid.UUID, job: uuid.UUID) -> BatchItem | None:
    """The next item that waits, now in the hands of this job: first the one that it was at when its process ended.

    One that ended its process as often as it may has failed.
    """
    mine = (BatchItem.batch_id == batch, BatchItem.state == "running", BatchItem.job_id == job)
    left = db.execute(select(BatchItem).where(*mine).with_for_update()).scalars().first()
    if left is not None and left.tries >= ATTEMPTS:
        end_item(db, left, failed_item(left, Fault(ErrorCode.MALFORMED, "working on this ended its process, twice")))
        left = None
    waiting = (BatchItem.batch_id == batch, BatchItem.state == "waiting")
    found = left or (
        db.execute(
            select(BatchItem).where(*waiting).order_by(BatchItem.position).limit(1).with_for_update(skip_locked=True)
        )
        .scalars()
        .first()
    )
    if found is not None:
        found.state, found.job_id, found.tries = "running", job, found.tries + 1
        _tell(db, batch)
    return found


def end_item(db: Session, item: BatchItem, told: dict[str, Any]) -> None:
    """Write down what became of an item."""
    item.state, item.told = told["state"], told
    db.flush()
    _tell(db, item.batch_id)


def put_back(db: Session, batch: uuid.UUID, position: int) -> None:
    """An item whose work was stopped waits again."""
    item = db.get(BatchItem, (batch, position))
    if item is not None and item.state == "running":
        item.state, item.job_id, item.tries = "waiting", None, max(item.tries - 1, 0)
        _tell(db, batch)


def lose_item(db: Session, job: uuid.UUID, fault: Fault) -> None:
    """The item that a job was at has failed, whoever ended the job."""
    for item in db.execute(select(BatchItem).where(BatchItem.state == "running", BatchItem.job_id == job)).scalars():
        end_item(db, item, failed_item(item, fault))


def failed_item(item: BatchItem, fault: Fault) -> dict[str, Any]:
    """What is told of an item that could not be worked on."""
    return {"name": item.name, "entries": item.entries, "state": "failed", "fault": fault.line()}


def counts(db: Session, batch: uuid.UUID) -> dict[str, int]:
    """How many items are in each state."""
    rows = select(BatchItem.state, func.count()).where(BatchItem.batch_id == batch).group_by(BatchItem.state)
    return {state: number for state, number in db.execute(rows).all()}  # noqa: C416 - a row is no pair to mypy


def lanes_of(db: Session, batch: Batch) -> list[Job]:
    """The jobs that work on a batch or wait to."""
    wanted = (Job.kind == KIND, Job.project_id == batch.project_id, Job.status.in_(ACTIVE))
    return list(db.execute(select(Job).where(*wanted, Job.payload["batch"].astext == str(batch.id))).scalars())


def free_items(db: Session, batch: Batch) -> None:
    """Items in the hands of a job that is over wait again; jobs that were asked to stop and have not yet, go on."""
    lanes = lanes_of(db, batch)
    held = (BatchItem.batch_id == batch.id, BatchItem.state == "running")
    lost = (*held, BatchItem.job_id.not_in([lane.id for lane in lanes]))
    db.execute(update(BatchItem).where(*lost).values(state="waiting", job_id=None))
    for lane in lanes:
        if lane.cancel:
            change_job(db, lane.id, cancel=False)


def wait_again(db: Session, batch: uuid.UUID, states: tuple[str, ...]) -> None:
    """Items in these states wait anew."""
    chosen = (BatchItem.batch_id == batch, BatchItem.state.in_(states))
    db.execute(update(BatchItem).where(*chosen).values(state="waiting", job_id=None, tries=0, told=None))
    _tell(db, batch)


def _tell(db: Session, batch: uuid.UUID) -> None:
    project = db.execute(select(Batch.project_id).where(Batch.id == batch)).scalar_one()
    tell(db, {"changed": "batches", "project_id": str(project), "batch": str(batch)})

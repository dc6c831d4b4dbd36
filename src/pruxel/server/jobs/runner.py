"""Run one job, in a child process: progress and cancel through the database; every outcome is written down."""

from __future__ import annotations

import logging
import threading
import time
import uuid
from collections.abc import Callable
from typing import Self

from sqlalchemy.exc import NoResultFound

from pruxel.core.base.context import Context
from pruxel.core.base.errors import CancelledError, ErrorCode, Fault, PruxelError
from pruxel.server.jobs.queue import put_again
from pruxel.server.logs import JOB
from pruxel.server.store.database import NO_ROOM, has_no_room, is_away, session, unhurried
from pruxel.server.store.jobs import change_job, progress_job, should_stop
from pruxel.server.store.tables import Job

log = logging.getLogger("pruxel.jobs")
Work = Callable[[Job, Context], bool | None]
"""What a kind of job does; true where there is more of it, to be done after what others wait for."""
KINDS: dict[str, Work] = {}
LEAVING = threading.Event()
"""Set when the process is asked to end: what it works on goes back to the queue."""
_LOOK_SECONDS = 0.5
_TELL_SECONDS = 0.15


def job_kind(name: str) -> Callable[[Work], Work]:
    """Register the decorated function as the work of a kind of job."""

    def add(work: Work) -> Work:
        KINDS[name] = work
        return work

    return add


class _Ear:
    """A thread that learns whether a person asked the running job to stop."""

    def __init__(self, job_id: uuid.UUID) -> None:
        self.stop = False
        self._job_id = job_id
        self._over = threading.Event()
        self._thread = threading.Thread(target=self._run, daemon=True)

    def __enter__(self) -> Self:
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._over.set()
        self._thread.join()

    def _run(self) -> None:
        while not self._over.wait(_LOOK_SECONDS):
            try:
                with session() as db:
                    self.stop = should_stop(db, self._job_id)
            except Exception as error:
                if not is_away(error):
                    raise


def run_job(job_id: uuid.UUID) -> None:
    """Run a stored job unless it is gone, done or cancelled already. Raises when the database is away."""
    with session() as db:
        job = db.get(Job, job_id, with_for_update=True)
        if job is None or job.status not in {"queued", "running"}:
            return
        if job.cancel:
            change_job(db, job_id, status="cancelled")
            return
        change_job(db, job_id, status="running", attempts=job.attempts + 1, fault=None)
    JOB.set(job_id)
    with _Ear(job_id) as ear:
        status, error = _outcome(job, ear)
    with session() as db:
        # Held, so that who asks it to stop comes before or after, and is not overheard.
        stored = db.get(Job, job_id, with_for_update=True)
        if stored is None:  # it went with its project: what it wanted to write belongs to nobody
            return
        fault = None if error is None else fault_of(error, job_id)
        if status == "more" and not stored.cancel:
            put_again(db, stored, attempts=0, message="goes on")
            return
        if status == "gone":
            change_job(db, job_id, status="cancelled", message="what it was about was removed")
            return
        status = "cancelled" if status == "more" else status
        if status == "cancelled" and stored.payload.get("pause"):
            status = "paused"
        elif status == "cancelled" and not stored.cancel:
            put_again(db, stored, attempts=job.attempts - 1, message="waits for a worker")
            return
        words = {"done": "", "cancelled": "stopped on request", "paused": "paused"}.get(status, "")
        change_job(
            db,
            job_id,
            status=status,
            fraction=1.0 if status == "done" else stored.fraction,
            message=words,
            fault=fault.as_dict() if fault else None,
        )


def _outcome(job: Job, ear: _Ear) -> tuple[str, Exception | None]:
    last = [0.0]

    def report(fraction: float, message: str) -> None:
        now = time.monotonic()
        if now - last[0] < _TELL_SECONDS:
            return
        last[0] = now
        with unhurried() as db:
            progress_job(db, job.id, fraction, message)

    try:
        more = KINDS[job.kind](job, Context(report=report, cancelled=lambda: ear.stop or LEAVING.is_set()))
    except CancelledError:
        return "cancelled", None
    except NoResultFound:
        log.warning("job %s ends: what it is about is gone", job.id, exc_info=True)
        return "gone", None
    except Exception as error:  # noqa: BLE001 - logged, and told as a fault
        return "failed", error
    return ("more" if more else "done"), None


def fault_of(error: Exception, job_id: uuid.UUID) -> Fault:
    """What stopped the work, for a person. Raises it again when the database is away: then nothing is known yet."""
    if isinstance(error, PruxelError):
        return error.fault
    if isinstance(error, MemoryError):
        return Fault(ErrorCode.BUDGET, "there is not enough memory for this", hint="Close other work.")
    if is_away(error):
        raise error
    if has_no_room(error):
        return NO_ROOM
    log.error("job %s failed", job_id, exc_info=error)
    hint = f"This is a mistake of ours. The log names it under job {job_id}."
    return Fault(ErrorCode.MALFORMED, "something unexpected happened", hint=hint)

"""The worker process: takes jobs from the queue, lets children run them, and looks after those whose worker died.

Heartbeats, stalled jobs and the choice of the next are the queue library's.
"""

from __future__ import annotations

import asyncio
import logging
import shutil
import signal
import threading
import uuid
from collections.abc import Iterator
from contextlib import contextmanager

import procrastinate
from procrastinate.jobs import Status
from sqlalchemy import text

from pruxel.core.base.errors import ErrorCode, Fault
from pruxel.server.jobs.children import Child, Ended, Ending, Limits
from pruxel.server.jobs.queue import BACK, FRONT, TASK, put_again, put_job
from pruxel.server.jobs.risk import CAREFUL, Risk
from pruxel.server.logs import begin_log
from pruxel.server.settings import settings
from pruxel.server.store.batches import lose_item
from pruxel.server.store.database import is_away, patiently, session
from pruxel.server.store.jobs import ATTEMPTS, change_job, fail_lost, should_stop
from pruxel.server.store.setbacks import set_back
from pruxel.server.store.tables import Job, Project

log = logging.getLogger("pruxel.worker")
_RESCUE_SECONDS = 5.0
_BEAT_SECONDS = 4.0
_SILENT_AFTER = 20.0
_SWEEP_SECONDS = 3600.0
_FRONT_CHILDREN = 2
_NICE_BEHIND = 15
_LEAVING, _ASKED = threading.Event(), threading.Event()
_HOUR = 3600.0
_LONGEST = {
    "batch": _HOUR,
    "glance": 0.25 * _HOUR,
    "guess": 0.25 * _HOUR,
    "sight": 0.25 * _HOUR,
    "view": _HOUR,
    "preview": 0.1 * _HOUR,
}
_LONGEST_OF_ALL = 24 * _HOUR


class _Children:
    """Some children, each lent to one job at a time."""

    def __init__(self, name: str, number: int, nice: int) -> None:
        self._free = [Child(nice, f"{name}-{n + 1}") for n in range(number)]
        for child in self._free:
            child.start()
        self._all = list(self._free)
        self._lock = threading.Condition()

    @contextmanager
    def one(self) -> Iterator[Child]:
        """A child that has nothing to do."""
        with self._lock:
            while not self._free:
                self._lock.wait()
            child = self._free.pop()
        try:
            yield child
        finally:
            with self._lock:
                self._free.append(child)
                self._lock.notify()

    def end(self) -> None:
        """Let all go."""
        for child in self._all:
            child.end()


def supervise(job_id: uuid.UUID, children: _Children) -> None:
    """Let a child run a job, and write down what became of it when the child could not."""
    job = patiently(lambda: _stored(job_id))
    if job is None:
        return

    def asked_to_stop() -> bool:
        try:
            with session() as db:
                return should_stop(db, job_id)
        except Exception as error:
            if not is_away(error):
                raise
            return False

    limits = Limits(_LONGEST.get(job.kind, _LONGEST_OF_ALL), settings().job_memory_bytes)
    with children.one() as child:
        ended = child.run(job_id, limits, asked_to_stop, _LEAVING.is_set)
    if ended.ending is not Ending.DONE:
        at = "" if ended.risk is None else f" at {ended.risk.name}"
        log.warning("job %s (%s): its process ended%s: %s", job_id, job.kind, at, ended.ending)
        patiently(lambda: _after(job_id, ended))


def _stored(job_id: uuid.UUID) -> Job | None:
    with session() as db:
        return db.get(Job, job_id)


def _after(job_id: uuid.UUID, ended: Ended) -> None:
    ending = ended.ending
    with session() as db:
        job = db.get(Job, job_id, with_for_update=True)
        if job is None or job.status not in {"queued", "running"}:
            return
        _clear_partial(job)
        if ending is Ending.STOPPED and job.cancel:
            change_job(
                db, job_id, status="paused" if job.payload.get("pause") else "cancelled", message="stopped on request"
            )
        elif _LEAVING.is_set() or ending is Ending.AWAY:
            put_again(db, job, attempts=max(job.attempts - 1, 0), message="waits for a worker")
        elif ended.risk is not None:
            # One file did it: should it do so once more, it is set aside, and the others go on.
            risk = ended.risk
            set_back(db, job.project_id, risk.kind, risk.name, risk.stamp, harm_of(ended, risk))
            put_again(db, job, attempts=0, message="goes on")
        elif job.kind == "batch":
            # An item is tried once more by the same one, then it fails; one that takes too much fails at once.
            if ending in {Ending.TOO_LONG, Ending.TOO_LARGE}:
                lose_item(db, job.id, _over(job, ending))
            put_again(db, job, attempts=0, message="goes on")
        elif ending in {Ending.TOO_LONG, Ending.TOO_LARGE}:
            change_job(db, job_id, status="failed", message=f"ended: {ending}", fault=_over(job, ending).as_dict())
        elif job.attempts < ATTEMPTS:
            # Whatever reads several things at once reads one at a time now, so that it is known which did it.
            put_again(db, job, fraction=0.0, message="its process ended; trying again", payload=job.payload | CAREFUL)
        else:
            fail_lost(db, job)


def _over(job: Job, ending: Ending) -> Fault:
    what, most = (
        ("memory", f"{settings().job_memory_bytes / 1e9:.0f} GB")
        if ending is Ending.TOO_LARGE
        else ("time", f"{_LONGEST.get(job.kind, _LONGEST_OF_ALL) / 60:.0f} minutes")
    )
    return Fault(
        ErrorCode.BUDGET,
        f"this took more {what} than one job may",
        file=job.title,
        expected=f"at most {most}",
        hint="Everything else goes on. Take a smaller part of it, or raise the limit in the settings.",
    )


def harm_of(ended: Ended, risk: Risk) -> Fault:
    """What a file did, in words."""
    expected = None
    match ended.ending, ended.signal:
        case Ending.TOO_LONG, _:
            code, words, expected = ErrorCode.BUDGET, "reading this takes too long", f"at most {risk.seconds:.0f} s"
        case Ending.TOO_LARGE, _:
            most = f"at most {settings().job_memory_bytes / 1e9:.1f} GB"
            code, words, expected = ErrorCode.BUDGET, "reading this takes too much memory", most
        case _, signal.SIGBUS:
            code, words = ErrorCode.SOURCE_CHANGED, "the file became shorter while it was read, or its disk failed"
        case _, signal.SIGKILL:
            code, words = ErrorCode.BUDGET, "the system ended its reader, probably for want of memory"
        case _:
            code, words = ErrorCode.MALFORMED, "reading this brought its reader down"
    return Fault(code, words, file=risk.name, expected=expected)


def _clear_partial(job: Job) -> None:
    """Remove what a delivery left half-written."""
    if job.kind == "deliver":
        for left in settings().deliveries.glob(f".*{job.payload['delivery'][:8]}*.partial"):
            shutil.rmtree(left, ignore_errors=True) if left.is_dir() else left.unlink(missing_ok=True)


async def rescue(queue: procrastinate.App) -> list[uuid.UUID]:
    """Queue again, or fail after the second time, the jobs whose worker gave no sign of life for a while."""
    found = []
    for task in await queue.job_manager.get_stalled_jobs(seconds_since_heartbeat=_SILENT_AFTER):
        job_id = uuid.UUID(str(task.task_kwargs["job_id"]))
        found.append(job_id)
        await queue.job_manager.finish_job(task, Status.FAILED, delete_job=True)
        await asyncio.to_thread(_after, job_id, Ended(Ending.DIED))
    return [*found, *await asyncio.to_thread(_put_forgotten)]


_FORGOTTEN = text(
    "SELECT j.id FROM jobs j WHERE j.status IN ('queued', 'running') AND NOT EXISTS "
    "(SELECT 1 FROM procrastinate_jobs p WHERE p.id = j.task AND p.status IN ('todo', 'doing'))"
)


def _put_forgotten() -> list[uuid.UUID]:
    """Queue again the jobs that the queue has lost, as it does when the database ends while it writes one off."""
    with session() as db:
        found = list(db.execute(_FORGOTTEN).scalars())
        for job_id in found:
            job = db.get(Job, job_id, with_for_update=True)
            if job is None or job.status not in {"queued", "running"}:
                continue
            if job.cancel:
                change_job(db, job_id, status="cancelled", message="stopped on request")
            else:
                put_again(db, job, message="waits for a worker")
    return found


async def _rescue_always(queue: procrastinate.App) -> None:
    while True:
        try:
            for job_id in await rescue(queue):
                log.warning("job %s fell silent with its worker", job_id)
        except Exception:
            log.exception("looking after silent jobs failed")
        await asyncio.sleep(_RESCUE_SECONDS)


def _put_sweep() -> None:
    with session() as db:
        first = db.query(Project.id).limit(1).scalar()
        if first is not None:
            put_job(db, first, "sweep", "Clearing what nothing uses", {"key": "sweep"})


async def _sweep_always() -> None:
    while True:
        await asyncio.sleep(_SWEEP_SECONDS)
        try:
            await asyncio.to_thread(_put_sweep)
        except Exception:
            log.exception("asking for a sweep failed")


async def _work() -> None:
    queue = procrastinate.App(connector=procrastinate.PsycopgConnector(conninfo=settings().database_url))
    pools = {FRONT: _Children(FRONT, _FRONT_CHILDREN, 0), BACK: _Children(BACK, 1, _NICE_BEHIND)}

    @queue.task(name=TASK, pass_context=True)
    def run(context: procrastinate.JobContext, job_id: str) -> None:
        supervise(uuid.UUID(job_id), pools[context.job.queue])

    async with queue.open_async():
        beside = [asyncio.create_task(_rescue_always(queue)), asyncio.create_task(_sweep_always())]
        working = [
            asyncio.create_task(
                queue.run_worker_async(
                    queues=[name],
                    name=name,
                    concurrency=_FRONT_CHILDREN if name == FRONT else 1,
                    delete_jobs="always",
                    fetch_job_polling_interval=2.0,
                    update_heartbeat_interval=_BEAT_SECONDS,
                    stalled_worker_timeout=_SILENT_AFTER,
                    install_signal_handlers=False,
                )
            )
            for name in (FRONT, BACK)
        ]
        for sign in (signal.SIGTERM, signal.SIGINT):
            asyncio.get_running_loop().add_signal_handler(sign, _leave_as_asked, working)
        # One that ends by itself (the database was away, say) ends all: the process is started again as a whole.
        await asyncio.wait(working, return_when=asyncio.FIRST_COMPLETED)
        if not _LEAVING.is_set():
            _leave(working)
        ended, leaving = await asyncio.gather(*working, return_exceptions=True), _ASKED.is_set()
        for task in beside:
            task.cancel()
    for pool in pools.values():
        pool.end()
    for error in ended:
        if isinstance(error, Exception) and not leaving:
            raise error


def _leave_as_asked(working: list[asyncio.Task[None]]) -> None:
    _ASKED.set()
    _leave(working)


def _leave(working: list[asyncio.Task[None]]) -> None:
    """Let go of the work at hand and end."""
    _LEAVING.set()
    for task in working:
        task.cancel()


def run_worker() -> None:
    """Work until told to stop."""
    begin_log("worker")
    try:
        asyncio.run(_work())
    except Exception as error:
        if not is_away(error) and not isinstance(error, procrastinate.exceptions.ConnectorException):
            raise
        log.warning("the database is away: the worker begins anew")
        raise SystemExit(1) from None

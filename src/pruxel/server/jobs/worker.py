"""The worker process: takes jobs from the queue, and looks after those whose worker died."""

from __future__ import annotations

import asyncio
import logging
import shutil
import signal
import uuid

import procrastinate

from pruxel.server.jobs import (  # noqa: F401 - registers the kinds of jobs
    aliases,
    deliver,
    extract,
    glance,
    naming,
    pictures,
    scan,
    search_bytes,
    verify,
    view,
)
from pruxel.server.jobs.queue import TASK, send
from pruxel.server.jobs.runner import LEAVING, run_job
from pruxel.server.settings import settings
from pruxel.server.store.database import session
from pruxel.server.store.jobs import give_up_or_retry, lost_jobs, silent_jobs
from pruxel.server.store.tables import Job

log = logging.getLogger("pruxel.worker")
_RESCUE_SECONDS = 5.0
_CONCURRENCY = 3


def rescue() -> list[Job]:
    """Queue again or fail the jobs that fell silent, and clear what they left half-written."""
    with session() as db:
        silent = silent_jobs(db)
        again = [job for job in silent if give_up_or_retry(db, job)]
        again += [job for job in lost_jobs(db) if job not in again]
    for job in silent:
        if job.kind == "deliver":
            mark = job.payload["delivery"][:8]
            for left in settings().deliveries.glob(f".*{mark}*.partial"):
                shutil.rmtree(left, ignore_errors=True) if left.is_dir() else left.unlink(missing_ok=True)
    for job in again:
        send(job)
    return silent


async def _rescue_always() -> None:
    while True:
        try:
            for job in await asyncio.to_thread(rescue):
                log.warning("job %s (%s) fell silent", job.id, job.kind)
        except Exception:
            log.exception("looking after silent jobs failed")
        await asyncio.sleep(_RESCUE_SECONDS)


async def _work() -> None:
    queue = procrastinate.App(connector=procrastinate.PsycopgConnector(conninfo=settings().database_url))

    @queue.task(name=TASK)
    def run(job_id: str) -> None:
        run_job(uuid.UUID(job_id))

    async with queue.open_async():
        looking = asyncio.create_task(_rescue_always())
        working = asyncio.create_task(
            queue.run_worker_async(
                concurrency=_CONCURRENCY,
                delete_jobs="successful",
                fetch_job_polling_interval=2.0,
                install_signal_handlers=False,
            )
        )
        for sign in (signal.SIGTERM, signal.SIGINT):
            asyncio.get_running_loop().add_signal_handler(sign, _leave, working)
        try:
            await working
        except asyncio.CancelledError:
            log.info("asked to end")
        finally:
            looking.cancel()


def _leave(working: asyncio.Task[None]) -> None:
    """Let go of the work at hand and end."""
    LEAVING.set()
    working.cancel()


def run_worker() -> None:
    """Work until told to stop."""
    logging.basicConfig(level=logging.WARNING)
    asyncio.run(_work())

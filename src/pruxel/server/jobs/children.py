"""Child processes that jobs run in.

Kept warm from job to job, killed when one hangs, grows too large or will not stop.
"""

from __future__ import annotations

import gc
import logging
import multiprocessing
import os
import signal
import time
import uuid
from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum
from multiprocessing.connection import Connection
from pathlib import Path

from pruxel.server.jobs.risk import Risk, listen
from pruxel.server.running import when_gone

log = logging.getLogger("pruxel.children")
_LOOK_SECONDS = 0.25
_GRACE_SECONDS = 6.0
_LAST_WORDS_SECONDS = 1.0
_DONE = "done"
_AWAY_CODE = 75  # EX_TEMPFAIL of sysexits.h
_PAGE = os.sysconf("SC_PAGE_SIZE")
# Loaded once, by the process that all children are forks of: one that was killed is replaced in a moment.
_BEGUN_WITH = (
    "pruxel.core.native.begun",
    "pruxel.server.jobs.kinds",
    "pruxel.server.jobs.runner",
)


class Ending(StrEnum):
    """How a child's work on one job came to its end."""

    DONE = "done"
    DIED = "died"
    STOPPED = "stopped"
    AWAY = "the database was away"
    TOO_LONG = "too long"
    TOO_LARGE = "too large"


@dataclass(frozen=True)
class Ended:
    """How it ended, what was being read when it was not done, and the signal that the process died of, if one."""

    ending: Ending
    risk: Risk | None = None
    signal: int = 0


@dataclass(frozen=True)
class Limits:
    """What one job may take."""

    seconds: float
    bytes: int


class Child:
    """One process that runs a job at a time. `nice` is how far it gives way to others, `name` that of its log."""

    def __init__(self, nice: int, name: str) -> None:
        self._nice, self._name = nice, name
        self._process: multiprocessing.process.BaseProcess | None = None
        self._pipe: Connection | None = None

    def start(self) -> None:
        """Get ready before there is work, so that whoever asks first need not wait for it."""
        self._ready()

    def run(
        self, job: uuid.UUID, limits: Limits, asked_to_stop: Callable[[], bool], leaving: Callable[[], bool]
    ) -> Ended:
        """Run one job to its end, whatever that is; a child that was killed is replaced for the next."""
        pipe, process = self._ready()
        try:
            pipe.send(str(job))
        except (BrokenPipeError, OSError):
            return self._killed(Ending.DIED, None)
        begun, stop_since, told_to_leave = time.monotonic(), 0.0, False
        risk: Risk | None = None
        since = looked = begun
        while True:
            if pipe.poll(_LOOK_SECONDS):
                try:
                    said = pipe.recv()
                except (EOFError, OSError):
                    return self._killed(Ending.DIED, risk)
                if said == _DONE:
                    return Ended(Ending.DONE)
                risk, since = said, time.monotonic()
                if since - looked < _LOOK_SECONDS:
                    continue
            now = looked = time.monotonic()
            if not process.is_alive() and not pipe.poll():
                return self._killed(Ending.DIED, risk)
            if leaving() and not told_to_leave:
                told_to_leave = True
                os.kill(process.pid or 0, signal.SIGTERM)
            if (asked_to_stop() or told_to_leave) and not stop_since:
                stop_since = now
            if stop_since and now - stop_since > _GRACE_SECONDS:
                return self._killed(Ending.STOPPED, None)
            if now - begun > limits.seconds or (risk is not None and now - since > risk.seconds):
                return self._killed(Ending.TOO_LONG, risk)
            if resident_bytes(process.pid) > limits.bytes:
                return self._killed(Ending.TOO_LARGE, risk)

    def end(self) -> None:
        """Let the process go; one that does not is killed."""
        if self._process is None:
            return
        if self._pipe is not None:
            self._pipe.close()
        self._process.join(1.0)
        self._kill()

    def _ready(self) -> tuple[Connection, multiprocessing.process.BaseProcess]:
        if self._process is None or self._pipe is None or not self._process.is_alive():
            context = multiprocessing.get_context("forkserver")
            context.set_forkserver_preload(list(_BEGUN_WITH))
            self._pipe, theirs = context.Pipe()
            self._process = context.Process(
                target=_serve, args=(theirs, self._nice, self._name, os.getpid()), daemon=True
            )
            self._process.start()
            theirs.close()
        return self._pipe, self._process

    def _killed(self, ending: Ending, risk: Risk | None) -> Ended:
        process = self._process
        if process is not None and ending is Ending.DIED:
            process.join(_LAST_WORDS_SECONDS)  # so that it is known what it died of
        self._kill()
        code = 0 if process is None or ending is not Ending.DIED else process.exitcode or 0
        if code == _AWAY_CODE:
            return Ended(Ending.AWAY)
        return Ended(ending, risk, -code if code < 0 else 0)

    def _kill(self) -> None:
        if self._process is not None:
            self._process.kill()
            self._process.join()
        self._process = self._pipe = None


def resident_bytes(pid: int | None) -> int:
    """How much memory a process holds; 0 when it is gone."""
    try:
        return int(Path(f"/proc/{pid}/statm").read_text().split()[1]) * _PAGE
    except (OSError, IndexError, ValueError):
        return 0


def _serve(pipe: Connection, nice: int, name: str, parent: int) -> None:
    """The child's life: a job's number comes, the job runs, a word goes back."""
    from pruxel.core.native.warm import warm
    from pruxel.server.jobs import kinds  # noqa: F401 - registers the kinds of jobs
    from pruxel.server.jobs.runner import LEAVING, run_job
    from pruxel.server.logs import begin_log
    from pruxel.server.store.database import is_away

    begin_log(name)
    os.nice(nice)
    # It must not go on beside the worker that takes its work over.
    when_gone(parent, lambda: os._exit(1))
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    signal.signal(signal.SIGTERM, lambda *_: LEAVING.set())

    def say(what: object) -> None:
        try:
            pipe.send(what)
        except OSError:  # nobody looks after us any more: what we were at is taken up by others
            os._exit(1)

    listen(say)
    if not pipe.poll():
        warm()
    # What is there by now stays: looking through it after each job would take longer than a small job.
    gc.freeze()
    while True:
        try:
            number = pipe.recv()
        except (EOFError, OSError):
            return
        LEAVING.clear()
        try:
            run_job(uuid.UUID(number))
        except Exception as error:  # noqa: BLE001 - whatever it is, this process ends by it
            log.warning("job %s was broken off: %s", number, type(error).__name__)
            logging.shutdown()
            os._exit(_AWAY_CODE if is_away(error) else 1)
        say(_DONE)
        gc.collect()

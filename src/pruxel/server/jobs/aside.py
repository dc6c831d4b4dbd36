"""Processes beside the web process, for what a page wants at once: nothing is computed where requests are answered."""

from __future__ import annotations

import multiprocessing
import os
import signal
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from functools import lru_cache
from multiprocessing import forkserver
from threading import Lock, Thread
from typing import ParamSpec, TypeVar, cast

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.server.logs import begin_log
from pruxel.server.running import end_with_parent

Given = ParamSpec("Given")
Result = TypeVar("Result")
_PROCESSES = 2
_PATIENCE_S = 60.0
_FAREWELL_S = 1.0
_LOGS = 8
_lock = Lock()


@lru_cache(maxsize=1)
def _pool() -> ProcessPoolExecutor:
    return ProcessPoolExecutor(_PROCESSES, multiprocessing.get_context("forkserver"), _deaf, (os.getpid(),))


def _deaf(parent: int) -> None:
    """Ctrl-C is for the web process, which ends these with itself; should it be killed, they end all the same."""
    end_with_parent(parent)
    begin_log(f"aside-{(multiprocessing.current_process()._identity or (0,))[-1] % _LOGS}")  # noqa: SLF001
    signal.signal(signal.SIGINT, signal.SIG_IGN)


def aside(work: Callable[Given, Result], *args: Given.args, **kwargs: Given.kwargs) -> Result:
    """What `work` returns in another process. Raises what it raises, and `InputError` when it does not come back."""
    for last in (False, True):
        pool = _pool()
        try:
            return pool.submit(work, *args, **kwargs).result(_PATIENCE_S)
        except TimeoutError:
            _end(pool)
            raise InputError(
                ErrorCode.BUDGET,
                "this takes too long for a look",
                expected=f"at most {_PATIENCE_S:.0f} seconds",
                hint="Open it on the Bench: long work goes on there in the background and can be stopped.",
            ) from None
        except BrokenProcessPool as error:
            _end(pool)
            if last:  # the first time it may have been another's fault
                raise InputError(
                    ErrorCode.MALFORMED,
                    "reading this brought its reader down",
                    hint="The file is probably damaged. Everything else goes on; extract it raw to keep its bytes.",
                ) from error
    raise AssertionError


def _end(pool: ProcessPoolExecutor) -> None:
    """Stop a pool at once, whatever hangs in it; the next question starts another."""
    with _lock:
        if _pool.cache_info().currsize and _pool() is pool:
            _pool.cache_clear()
    for process in list((pool._processes or {}).values()):  # noqa: SLF001 - there is no public way to stop one that hangs
        process.kill()
    pool.shutdown(wait=False, cancel_futures=True)


def start_aside(module: str) -> None:
    """Let the one that all are forks of load what they will run, so that the first look does not wait for that."""
    forkserver.set_forkserver_preload([module])
    forkserver.ensure_running()


def end_aside() -> None:
    """Stop the processes, when the server ends: those at rest leave by themselves."""
    if not _pool.cache_info().currsize:
        return
    pool = _pool()
    _pool.cache_clear()
    manager = cast("Thread | None", pool._executor_manager_thread)  # noqa: SLF001 - as above
    processes = list((pool._processes or {}).values())  # noqa: SLF001
    pool.shutdown(wait=False, cancel_futures=True)
    if manager is not None:
        manager.join(_FAREWELL_S)
    for process in processes:
        process.kill()
    if manager is not None:
        manager.join()

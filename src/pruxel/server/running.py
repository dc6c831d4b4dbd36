"""Who runs on a data folder: one at a time, and whoever comes second learns who that is and where."""

from __future__ import annotations

import fcntl
import json
import multiprocessing
import os
import signal
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from pruxel.core.base.writing import cannot_write, make_folder

_LOOK_SECONDS = 0.25
_FAREWELL_SECONDS = 10.0
PARENT = "PRUXEL_PARENT"


class RunsAlreadyError(Exception):
    """Another start has this data folder; its addresses are empty until it is ready."""

    def __init__(self, pid: int, address: str, database: str) -> None:
        super().__init__(f"process {pid}")
        self.pid, self.address, self.database = pid, address, database


@dataclass(frozen=True)
class Claim:
    """The data folder is ours."""

    place: Path

    def note(self, address: str, database: str) -> None:
        """Write down where we and our database can be reached; only the owner can read it."""
        partial = self.place.with_name(f"{self.place.name}.new")
        partial.touch(mode=0o600)
        partial.write_text(json.dumps({"pid": os.getpid(), "address": address, "database": database}))
        partial.replace(self.place)


@contextmanager
def claimed(data_folder: Path) -> Iterator[Claim]:
    """Have a data folder to ourselves while this lasts; the system lets go of it however we end.

    Raises `RunsAlreadyError`, or `InputError` when it cannot be written to.
    """
    make_folder(data_folder)
    try:
        data_folder.chmod(0o700)
        handle = os.open(data_folder / "lock", os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
    except OSError as error:
        raise cannot_write(error, data_folder) from error
    claim = Claim(data_folder / "running.json")
    try:
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            raise _other(claim.place) from None
        claim.note("", "")
        yield claim
        claim.place.unlink(missing_ok=True)
    finally:
        os.close(handle)


def _other(place: Path) -> RunsAlreadyError:
    try:
        told = json.loads(place.read_text())
        return RunsAlreadyError(int(told["pid"]), str(told["address"]), str(told["database"]))
    except (OSError, ValueError, KeyError):
        return RunsAlreadyError(0, "", "")


def whoever_runs(data_folder: Path) -> RunsAlreadyError | None:
    """Who has a data folder at the moment, nobody for None."""
    try:
        with claimed(data_folder):
            return None
    except RunsAlreadyError as error:
        return error


def end_with_parent(parent: int) -> None:
    """Let this process end when the one that started it does, however that dies. Asked to first, then made to.

    Who started it says so: by the time this is called it may be gone already.
    """

    def leave() -> None:
        os.kill(os.getpid(), signal.SIGTERM)
        time.sleep(_FAREWELL_SECONDS)
        os._exit(1)

    when_gone(parent, leave)


def when_gone(parent: int, act: Callable[[], object]) -> None:
    """Do something, in a thread of its own, when the process that started this one is gone."""

    def look() -> None:
        starter = multiprocessing.parent_process()
        if starter is not None and starter.pid == parent:
            starter.join()  # the process that this one is a fork of may stand between the two
        else:
            while os.getppid() == parent:
                time.sleep(_LOOK_SECONDS)
        act()

    threading.Thread(target=look, daemon=True, name="parent").start()


def end_with_whom_the_environment_names() -> None:
    """The same for a part that the start command started; alone started, a part stands alone."""
    named = os.environ.get(PARENT, "")
    if named.isdigit():
        end_with_parent(int(named))

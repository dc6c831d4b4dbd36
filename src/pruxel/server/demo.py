"""Start everything with the made-up game: database, sample, server, worker; stop everything on Ctrl-C."""

from __future__ import annotations

import os
import shutil
import signal
import subprocess
import sys
import time
import webbrowser
from pathlib import Path
from types import FrameType

from sqlalchemy import select

from pruxel.core.base.errors import InputError, PruxelError
from pruxel.sample.cached import cached_sample
from pruxel.server.jobs.queue import put_job
from pruxel.server.postgres import Cluster, free_port, running_cluster
from pruxel.server.running import PARENT, RunsAlreadyError, claimed
from pruxel.server.settings import settings
from pruxel.server.store.database import session
from pruxel.server.store.migrate import migrate_database
from pruxel.server.store.tables import Project, SourceRow

_SEED = 1
_LOOK_SECONDS = 0.5
_NOT_AGAIN_WITHIN = 5.0
_FAREWELL_SECONDS = 12.0


def _say(text: str) -> None:
    sys.stdout.write(f"{text}\n")
    sys.stdout.flush()


def _report(fraction: float, message: str) -> None:
    if sys.stdout.isatty():
        sys.stdout.write(f"\r  making the made-up game {fraction:4.0%}  {message:50.50}")
        sys.stdout.flush()


def mount_demo(folder: Path) -> None:
    """The project Brinepost with its files mounted; one that is there already is kept with the user's work."""
    with session() as db:
        project = db.execute(select(Project).where(Project.name == "Brinepost")).scalar_one_or_none()
        if project is None:
            about = "The made-up game that ships with Pruxel: a courier service on the sea floor."
            project = Project(name="Brinepost", about=about)
            db.add(project)
            db.flush()
        mine = select(SourceRow.mount, SourceRow.state).where(SourceRow.project_id == project.id)
        states = db.execute(mine).all()
        wanted = {mount for mount, state in states if state == "waiting"} if states else {str(folder.resolve())}
        for mount in sorted(wanted):
            put_job(db, project.id, "scan", "Reading Brinepost", {"mount": mount, "key": mount})


class _StopError(Exception):
    """The person pressed Ctrl-C, or the system asks to end."""


def _stop(_number: int, _frame: FrameType | None) -> None:
    raise _StopError


class _Parts:
    """The server and the worker: started, started again when they end by themselves, and ended with us."""

    def __init__(self, env: dict[str, str]) -> None:
        self._env = env | {PARENT: str(os.getpid())}
        self._commands = {name: [sys.executable, "-m", "pruxel", name] for name in ("serve", "worker")}
        self._running: dict[str, subprocess.Popen[bytes]] = {}
        self._begun: dict[str, float] = {}

    def look(self) -> None:
        """Start what does not run; what ends at once is not started over and over."""
        for name, command in self._commands.items():
            process, now = self._running.get(name), time.monotonic()
            if process is not None and process.poll() is None:
                continue
            if process is not None and now - self._begun[name] < _NOT_AGAIN_WITHIN:
                continue
            if process is not None:
                _say(f"the {name} part ended with code {process.returncode}; starting it again")
            self._begun[name] = now
            self._running[name] = subprocess.Popen(command, env=self._env, start_new_session=True)  # noqa: S603

    def end(self) -> None:
        """Ask all to end, and make those that do not."""
        for process in self._running.values():
            process.send_signal(signal.SIGTERM)
        for process in self._running.values():
            try:
                process.wait(_FAREWELL_SECONDS)
            except subprocess.TimeoutExpired:
                process.kill()
                process.wait()


def _watch(parts: _Parts, cluster: Cluster) -> None:
    """Start again what ended by itself, the database first."""
    while True:
        time.sleep(_LOOK_SECONDS)
        if cluster.ended():
            _say("the database ended; starting it again")
            try:
                cluster.start()
            except InputError as error:
                _say(error.fault.line())
                time.sleep(_NOT_AGAIN_WITHIN)
                continue
        parts.look()


def _open(address: str) -> None:
    """Show an address in the browser of whoever sits in front of this machine, if somebody does."""
    if os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"):
        webbrowser.open(address)


def _prepared() -> int:
    """The sample and the database made ready; returns the port that the page will have."""
    here = settings()
    migrate_database()
    samples = here.data_folder / "samples"
    sample = cached_sample(samples, _SEED, _report)
    _say("")
    port = free_port(here.port)
    os.environ["PRUXEL_PORT"] = str(port)
    if "PRUXEL_ROOTS" not in os.environ:
        roots = ",".join(f'"{p}"' for p in (samples.resolve(), Path.home()))
        os.environ["PRUXEL_ROOTS"] = f"[{roots}]"
    settings.cache_clear()
    shutil.rmtree(here.sending, ignore_errors=True)  # what nobody received before the last end
    mount_demo(sample)
    return port


def _run() -> None:
    here = settings()
    with claimed(here.data_folder) as claim, running_cluster(here.data_folder, 54737) as cluster:
        os.environ["PRUXEL_DATABASE_URL"] = cluster.url
        settings.cache_clear()
        port = _prepared()
        parts = _Parts(dict(os.environ))
        try:
            parts.look()
            claim.note(f"http://{here.host}:{port}/?key={here.access_token()}", cluster.url)
            _say("Ctrl-C stops everything.")
            _watch(parts, cluster)
        finally:
            parts.end()


def run_demo() -> int:
    """Run until Ctrl-C; what stands in the way is told in a line. Returns the exit code."""
    signal.signal(signal.SIGINT, _stop)
    signal.signal(signal.SIGTERM, _stop)
    try:
        _run()
    except _StopError:
        _say("\nstopped")
    except RunsAlreadyError as error:
        where = error.address or "an address that it will tell when it is ready"
        _say(f"Pruxel runs already on this data folder (process {error.pid}): {where}")
        _open(error.address)
    except PruxelError as error:
        sys.stderr.write(f"pruxel: {error.fault.line()}\n")
        return 3
    return 0


if __name__ == "__main__":
    sys.exit(run_demo())

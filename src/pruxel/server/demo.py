"""Start everything with the made-up game: database, sample, server, worker; stop everything on Ctrl-C."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from types import FrameType

from sqlalchemy import select

from pruxel.sample.build import cached_sample
from pruxel.server.jobs.queue import put_job
from pruxel.server.postgres import free_port, running_cluster
from pruxel.server.settings import settings
from pruxel.server.store.database import session
from pruxel.server.store.migrate import migrate_database
from pruxel.server.store.tables import Project, SourceRow

_SEED = 1


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


@contextmanager
def _processes(commands: dict[str, list[str]], env: dict[str, str]) -> Iterator[dict[str, subprocess.Popen[bytes]]]:
    started = {name: subprocess.Popen(command, env=env, start_new_session=True) for name, command in commands.items()}  # noqa: S603
    try:
        yield started
    finally:
        for process in started.values():
            process.send_signal(signal.SIGTERM)
        for process in started.values():
            try:
                process.wait(10)
            except subprocess.TimeoutExpired:
                process.kill()


def _watch(started: dict[str, subprocess.Popen[bytes]], commands: dict[str, list[str]], env: dict[str, str]) -> None:
    """Start a part again when it ended by itself."""
    while True:
        time.sleep(1.0)
        for name, process in started.items():
            if process.poll() is not None:
                _say(f"the {name} ended with code {process.returncode}; starting it again")
                started[name] = subprocess.Popen(commands[name], env=env, start_new_session=True)  # noqa: S603


def run_demo() -> None:
    """Run until Ctrl-C."""
    signal.signal(signal.SIGINT, _stop)
    signal.signal(signal.SIGTERM, _stop)
    here = settings()
    here.data_folder.mkdir(parents=True, exist_ok=True)
    try:
        with running_cluster(here.data_folder, 54737) as cluster:
            os.environ["PRUXEL_DATABASE_URL"] = cluster.url
            settings.cache_clear()
            migrate_database()
            samples = here.data_folder / "samples"
            folder = cached_sample(samples, _SEED, _report)
            _say("")
            port = free_port(here.port)
            env = os.environ | {"PRUXEL_PORT": str(port)}
            if "PRUXEL_ROOTS" not in env:
                roots = ",".join(f'"{p}"' for p in (samples.resolve(), Path.home()))
                env["PRUXEL_ROOTS"] = f"[{roots}]"
                os.environ["PRUXEL_ROOTS"] = env["PRUXEL_ROOTS"]
                settings.cache_clear()
            mount_demo(folder)
            command = [sys.executable, "-m", "pruxel"]
            commands = {"server": [*command, "serve"], "worker": [*command, "worker"]}
            with _processes(commands, env) as started:
                _say("Ctrl-C stops everything.")
                _watch(started, commands, env)
    except _StopError:
        _say("\nstopped")


if __name__ == "__main__":
    run_demo()

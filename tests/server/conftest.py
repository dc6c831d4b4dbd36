"""A real PostgreSQL, a migrated database and a worker process of its own."""

from __future__ import annotations

import os
import shutil
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import text

from pruxel.server.postgres import cluster_folder, running_cluster
from pruxel.server.settings import settings
from pruxel.server.store import blobs, database
from tests.conftest import CRAB
from tests.server.asking import Wait, ended, new_project


@pytest.fixture(scope="session")
def installation(game: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[dict[str, str]]:
    """The environment of an installation with its database running; its roots are the game and a scratch folder."""
    folder = tmp_path_factory.mktemp("installation")
    mounts = folder / "mounts"
    mounts.mkdir()
    data = folder / "data"
    data.mkdir()
    with running_cluster(data, 54900) as cluster:
        env = {
            "PRUXEL_DATA_FOLDER": str(data),
            "PRUXEL_DATABASE_URL": cluster.url,
            "PRUXEL_ROOTS": f'["{game}", "{mounts}"]',
            "PRUXEL_PICTURES_AHEAD": "false",
        }
        os.environ.update(env)
        for cached in (settings, database.engine, blobs._store):
            cached.cache_clear()
        from pruxel.server.store.migrate import migrate_database

        migrate_database()
        migrate_database()
        yield env | {"mounts": str(mounts)}
        database.engine().dispose()
    shutil.rmtree(cluster_folder(data))


class Worker:
    """A worker process that tests can kill."""

    def __init__(self) -> None:
        self.process: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        if self.process is None or self.process.poll() is not None:
            self.process = subprocess.Popen([sys.executable, "-m", "pruxel", "worker"], env=os.environ.copy())

    def kill(self) -> None:
        assert self.process is not None
        self.process.send_signal(signal.SIGKILL)
        self.process.wait()

    @contextmanager
    def held(self) -> Iterator[None]:
        """Nothing is taken up meanwhile; what is at work ends before. To begin anew would take seconds."""
        self.start()
        assert self.process is not None
        end = time.monotonic() + 200
        while (busy := self._at_work()) and time.monotonic() < end:
            time.sleep(0.1)
        assert not busy
        self.process.send_signal(signal.SIGSTOP)
        try:
            yield
        finally:
            self.process.send_signal(signal.SIGCONT)

    @staticmethod
    def _at_work() -> int:
        with database.session() as db:
            return db.execute(
                text(
                    "SELECT count(*) FROM procrastinate_jobs WHERE status = 'doing' "
                    "OR (status = 'todo' AND coalesce(scheduled_at, now()) <= now())"
                )
            ).scalar_one()

    def stop(self) -> None:
        if self.process is not None and self.process.poll() is None:
            self.process.terminate()
            self.process.wait(200)


@pytest.fixture(scope="session")
def worker(installation: dict[str, str]) -> Iterator[Worker]:
    one = Worker()
    one.start()
    yield one
    one.stop()


@pytest.fixture(scope="session")
def client(installation: dict[str, str]) -> Iterator[TestClient]:
    """A page of our own, with access."""
    from pruxel.server.main import create_app

    with TestClient(create_app(), base_url="http://127.0.0.1") as one:
        one.get("/", params={"key": settings().access_token()})
        yield one


@pytest.fixture(scope="session")
def wait_for() -> Callable[..., Any]:
    def wait(ask: Callable[[], Any], seconds: float = 400) -> Any:
        end = time.monotonic() + seconds
        pause = 0.05
        while time.monotonic() < end:
            found = ask()
            if found:
                return found
            # What takes long is asked for less often: asking costs the processor that is waited for.
            time.sleep(pause)
            pause = min(1.2 * pause, 0.5)
        raise AssertionError("waited in vain")

    return wait


@pytest.fixture(scope="session")
def project(client: TestClient, worker: Worker, game: Path, wait_for: Wait) -> str:
    """A project with the game mounted."""
    made = new_project(client, "reef")
    job = client.post(f"/api/projects/{made}/sources", json={"path": str(game)}).json()
    assert wait_for(ended(client, made, job["id"]))["status"] == "done"
    return made


@pytest.fixture(scope="session")
def crab(client: TestClient, project: str) -> str:
    return str(client.post(f"/api/projects/{project}/workpieces", json={"entries": [CRAB]}).json()["id"])

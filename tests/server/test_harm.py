"""A file that brings its reader down: known for it, tried once more, then left alone until it changes."""

from __future__ import annotations

import errno
import signal
import uuid
from pathlib import Path

import psycopg
import pytest
from fastapi.testclient import TestClient
from psycopg.errors import DiskFull
from sqlalchemy import select
from sqlalchemy.exc import OperationalError

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.server.jobs import queue, runner
from pruxel.server.jobs.children import Ended, Ending
from pruxel.server.jobs.risk import Risk, at, left_alone, listen
from pruxel.server.jobs.worker import _after, _put_forgotten, harm_of
from pruxel.server.store import blobs, setbacks
from pruxel.server.store.database import has_no_room, is_away, session
from pruxel.server.store.harm import Setback
from pruxel.server.store.setbacks import forgive, set_asides, set_back
from pruxel.server.store.tables import Job
from tests.server.asking import new_project

RISK = Risk("entry", "a/bad.png", "1:2", 5.0)


@pytest.fixture
def project(client: TestClient) -> uuid.UUID:
    return uuid.UUID(new_project(client, "harm"))


def running(project: uuid.UUID, **more: object) -> uuid.UUID:
    """A job that runs, as the database has it; no worker knows of it."""
    with session() as db:
        job = Job(
            project_id=project, kind="pictures", title="Drawing", payload={}, status="running", attempts=1, **more
        )
        db.add(job)
        db.flush()
        return job.id


def status(job: uuid.UUID) -> tuple[str, int]:
    with session() as db:
        found = db.get_one(Job, job)
        return found.status, found.attempts


@pytest.fixture(autouse=True)
def no_queue(monkeypatch: pytest.MonkeyPatch) -> None:
    """Nothing is handed to a worker here."""
    monkeypatch.setattr(queue, "_defer", lambda *_: None)


def times(project: uuid.UUID) -> list[int]:
    with session() as db:
        return list(db.execute(select(Setback.times).where(Setback.project_id == project)).scalars())


def test_the_second_time_it_is_left_alone_and_the_work_goes_on(project: uuid.UUID) -> None:
    job = running(project)
    for number in (1, 2):
        with session() as db:
            db.get_one(Job, job).status = "running"
        _after(job, Ended(Ending.DIED, RISK, signal.SIGSEGV))
        assert status(job) == ("queued", 0)
        assert times(project) == [number]
    check = left_alone(project)
    with pytest.raises(InputError, match="brought its reader down") as told:
        check(RISK)
    assert "until it changes" in str(told.value.fault.hint)
    check(Risk("entry", RISK.name, "another stamp", 5.0))
    check(Risk("entry", "a/good.png", RISK.stamp, 5.0))
    check(Risk("source", RISK.name, RISK.stamp, 5.0))


def test_a_change_an_update_and_a_person_give_it_another_chance(
    project: uuid.UUID, monkeypatch: pytest.MonkeyPatch
) -> None:
    fault = harm_of(Ended(Ending.DIED, RISK), RISK)
    with session() as db:
        for _ in range(2):
            set_back(db, project, RISK.kind, RISK.name, RISK.stamp, fault)
        assert set_asides(db, project)
        set_back(db, project, RISK.kind, RISK.name, "2:2", fault)
        assert not set_asides(db, project)
        set_back(db, project, RISK.kind, RISK.name, "2:2", fault)
        assert set_asides(db, project)
    monkeypatch.setattr(setbacks, "__version__", "99.0")
    left_alone(project)(RISK)
    monkeypatch.undo()
    with session() as db:
        forgive(db, project, RISK.kind, [RISK.name])
    assert times(project) == []


@pytest.mark.parametrize("length", [1, 499, 501, 4000])
def test_names_of_any_length_are_told_apart(project: uuid.UUID, length: int) -> None:
    fault = harm_of(Ended(Ending.DIED, RISK), RISK)
    with session() as db:
        for end in "ab":
            for _ in range(2):
                set_back(db, project, "source", "x" * length + end, "s", fault)
        forgive(db, project, "source", ["x" * length + "a"])
    check = left_alone(project)
    check(Risk("source", "x" * length + "a", "s", 1.0))
    with pytest.raises(InputError):
        check(Risk("source", "x" * length + "b", "s", 1.0))


@pytest.mark.parametrize(
    ("ended", "code", "words"),
    [
        (Ended(Ending.TOO_LONG, RISK), ErrorCode.BUDGET, "takes too long"),
        (Ended(Ending.TOO_LARGE, RISK), ErrorCode.BUDGET, "too much memory"),
        (Ended(Ending.DIED, RISK, signal.SIGBUS), ErrorCode.SOURCE_CHANGED, "became shorter"),
        (Ended(Ending.DIED, RISK, signal.SIGKILL), ErrorCode.BUDGET, "want of memory"),
        (Ended(Ending.DIED, RISK, signal.SIGSEGV), ErrorCode.MALFORMED, "brought its reader down"),
        (Ended(Ending.DIED, RISK), ErrorCode.MALFORMED, "brought its reader down"),
    ],
)
def test_each_harm_has_its_words(ended: Ended, code: ErrorCode, words: str) -> None:
    fault = harm_of(ended, RISK)
    assert fault.code is code
    assert words in fault.line()
    assert fault.file == "a/bad.png"


def test_a_database_that_was_away_is_no_files_fault_and_no_attempt(project: uuid.UUID) -> None:
    job = running(project)
    _after(job, Ended(Ending.AWAY))
    assert status(job) == ("queued", 0)
    assert times(project) == []


def test_a_death_at_nothing_known_is_tried_once_more_with_care_then_told(project: uuid.UUID) -> None:
    job = running(project)
    _after(job, Ended(Ending.DIED))
    with session() as db:
        stored = db.get_one(Job, job)
        assert (stored.status, stored.payload["careful"]) == ("queued", True)
        stored.status, stored.attempts = "running", 2
    _after(job, Ended(Ending.DIED))
    assert status(job)[0] == "failed"


def test_jobs_that_the_queue_has_lost_are_put_again(project: uuid.UUID, monkeypatch: pytest.MonkeyPatch) -> None:
    lost, cancelled = running(project, task=1 << 40), running(project, task=1 << 40, cancel=True)
    assert {lost, cancelled} <= set(_put_forgotten())
    assert status(lost)[0] == "queued"
    assert status(cancelled)[0] == "cancelled"
    with session() as db:
        for job in (lost, cancelled):
            db.get_one(Job, job).status = "done"


def test_what_is_read_is_said_before_and_after() -> None:
    said: list[Risk | None] = []
    listen(said.append)
    try:
        with pytest.raises(ZeroDivisionError), at(RISK):
            1 / 0  # noqa: B018 - whatever happens while it is read
        assert said == [RISK, None]
    finally:
        listen(lambda _: None)


def test_nothing_is_left_of_it(client: TestClient, project: uuid.UUID, tmp_path: Path) -> None:
    with session() as db:
        set_back(db, project, "entry", "x", "s", harm_of(Ended(Ending.DIED, RISK), RISK))
    assert client.delete(f"/api/projects/{project}").status_code == 204
    assert times(project) == []


def test_a_full_disk_of_the_database_is_said_and_not_waited_for() -> None:
    full = OperationalError("INSERT", {}, DiskFull("could not extend file"))
    away = OperationalError("SELECT", {}, psycopg.OperationalError("connection refused"))
    assert (has_no_room(full), is_away(full)) == (True, False)
    assert (has_no_room(away), is_away(away)) == (False, True)
    assert not is_away(ValueError("x"))


def test_work_that_meets_a_full_disk_fails_with_that_word(project: uuid.UUID, monkeypatch: pytest.MonkeyPatch) -> None:
    def fills(_job: object, _context: object) -> None:
        raise OperationalError("INSERT", {}, DiskFull("could not extend file"))

    monkeypatch.setitem(runner.KINDS, "fills", fills)
    with session() as db:
        job = Job(project_id=project, kind="fills", title="Loading", payload={})
        db.add(job)
    runner.run_job(job.id)
    with session() as db:
        found = db.get_one(Job, job.id)
        assert (found.status, found.fault and found.fault["code"]) == ("failed", "no-space")


def test_a_blob_that_does_not_fit_leaves_nothing(monkeypatch: pytest.MonkeyPatch, client: TestClient) -> None:
    system, root = blobs._store()

    def full(*_: object) -> None:
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(system, "mv", full)
    key = uuid.uuid4().hex
    with pytest.raises(InputError, match="no room"):
        blobs.put_blob(key, b"data")
    assert not list(Path(root).rglob(f"{key}*"))

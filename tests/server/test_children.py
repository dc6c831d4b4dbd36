"""Whatever a job does to the process it runs in, its end is known, and the next job runs."""

from __future__ import annotations

import signal
import time
import uuid
from collections.abc import Iterator
from pathlib import Path

import pytest

from pruxel.server.jobs import children
from pruxel.server.jobs.children import Child, Ended, Ending, Limits, resident_bytes
from tests.server import misbehaving

ROOM = Limits(seconds=300.0, bytes=4 << 30)


@pytest.fixture
def child(monkeypatch: pytest.MonkeyPatch) -> Iterator[Child]:
    monkeypatch.setattr(children, "_serve", misbehaving.serve)
    monkeypatch.setattr(children, "_GRACE_SECONDS", 0.5)
    one = Child(5, "test")
    yield one
    one.end()


def run(child: Child, does: str, limits: Limits = ROOM, stop_after: float | None = None) -> Ended:
    child.end()  # the next is started with this name
    child._name = does
    begun = time.monotonic()
    return child.run(
        uuid.uuid4(), limits, lambda: stop_after is not None and time.monotonic() - begun > stop_after, lambda: False
    )


@pytest.mark.parametrize(
    ("does", "limits", "stop_after", "ending"),
    [
        ("well", ROOM, None, Ending.DONE),
        ("dies", ROOM, None, Ending.DIED),
        ("leaves", ROOM, None, Ending.DIED),
        ("hangs", Limits(seconds=1.5, bytes=4 << 30), None, Ending.TOO_LONG),
        ("hangs", ROOM, 0.5, Ending.STOPPED),
        ("grows", Limits(seconds=300.0, bytes=300 << 20), None, Ending.TOO_LARGE),
    ],
)
def test_how_it_ends_is_known_and_the_next_job_runs(
    child: Child,
    does: str,
    limits: Limits,
    stop_after: float | None,
    ending: Ending,
) -> None:
    assert run(child, does, limits, stop_after).ending is ending
    assert run(child, "well").ending is Ending.DONE


def test_it_is_known_at_what_it_died_or_hung(child: Child) -> None:
    assert run(child, "dies at") == Ended(Ending.DIED, misbehaving.RISK, signal.SIGSEGV)
    assert run(child, "hangs at") == Ended(Ending.TOO_LONG, misbehaving.RISK)
    assert run(child, "is away") == Ended(Ending.AWAY)
    assert run(child, "says much") == Ended(Ending.DONE)


def test_a_child_is_kept_from_job_to_job(child: Child) -> None:
    child._name = "well"
    pids = set()
    for _ in range(3):
        assert child.run(uuid.uuid4(), ROOM, lambda: False, lambda: False).ending is Ending.DONE
        assert child._process is not None
        pids.add(child._process.pid)
    assert len(pids) == 1


def test_leaving_is_passed_on(child: Child, tmp_path: Path) -> None:
    ready = tmp_path / "ready"
    child._name = f"ends when told: {ready}"
    assert child.run(uuid.uuid4(), ROOM, lambda: False, ready.exists).ending is Ending.DONE


def test_memory_of_what_is_gone_is_none() -> None:
    assert resident_bytes(None) == 0
    assert resident_bytes(2**22 + 5) == 0

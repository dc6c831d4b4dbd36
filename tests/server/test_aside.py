"""What runs beside the web process comes back, fails with a word, or is stopped; the next question is answered."""

from __future__ import annotations

import os
import time
from collections.abc import Iterator

import pytest

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.server.jobs import aside as room
from pruxel.server.jobs.aside import aside, end_aside


@pytest.fixture(autouse=True)
def _ended() -> Iterator[None]:
    yield
    end_aside()


def refuse(name: str) -> None:
    raise InputError(ErrorCode.MALFORMED, "broken", file=name, offset=7)


def test_results_and_errors_come_back_as_they_are() -> None:
    assert aside(sorted, [3, 1, 2]) == [1, 2, 3]
    with pytest.raises(InputError) as caught:
        aside(refuse, "reef.brp")
    assert caught.value.fault.line() == "reef.brp at byte 7 (0x7): broken."


def test_what_brings_its_process_down_is_told_and_the_next_is_answered() -> None:
    with pytest.raises(InputError, match="brought its reader down"):
        aside(os._exit, 3)
    assert aside(len, "abc") == 3


def test_what_takes_too_long_is_stopped(monkeypatch: pytest.MonkeyPatch) -> None:
    assert aside(len, "ab") == 2
    monkeypatch.setattr(room, "_PATIENCE_S", 0.5)
    start = time.monotonic()
    with pytest.raises(InputError, match="takes too long"):
        aside(time.sleep, 600)
    assert time.monotonic() - start < 400
    monkeypatch.setattr(room, "_PATIENCE_S", 60.0)
    assert aside(len, "abcd") == 4

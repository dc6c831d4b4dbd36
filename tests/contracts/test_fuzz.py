"""Everything that reads, over thousands of changed inputs: our own errors only, in bounds. `make fuzz` goes on from here."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

import pytest

from fuzz import run
from fuzz.run import Found, campaign, keep, smaller, tried
from fuzz.targets import TARGETS, World
from pruxel.core.base.errors import ErrorCode, InputError

ROOT = Path(__file__).resolve().parents[2]
INPUTS = 2000


def test_thousands_of_changed_inputs_are_read_or_refused(game: Path) -> None:
    """In a process of its own: its memory is bounded, and should an input end it, that is told too."""
    program = (
        "import sys, json\nfrom pathlib import Path\nfrom fuzz.run import campaign\n"
        "count, wrong = 0, []\n"
        f"for found in campaign(Path(sys.argv[1]), 'tests', {INPUTS}, patience=3.0):\n"
        "    count += 1\n    wrong += [] if found is None else [found.line()]\n"
        "print(json.dumps([count, wrong]))\n"
    )
    done = subprocess.run(
        [sys.executable, "-c", program, str(game)], cwd=ROOT, capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stderr[-3000:]
    count, wrong = json.loads(done.stdout.splitlines()[-1])
    assert wrong == []
    assert count == INPUTS


WRONG = {
    "a foreign exception": ("{}['x']", "KeyError"),
    "too much memory": ("bytearray(900 << 20)", "MemoryError"),
    "too slow": ("sum(i * i for i in range(9_000_000))", "slow"),
    "never back": ("__import__('time').sleep(60)", "SlowError"),
    "not sound": ("1 / 0", "ZeroDivisionError"),
}


@pytest.mark.parametrize(("does", "told"), WRONG.values(), ids=WRONG)
def test_what_breaks_a_promise_is_found(does: str, told: str) -> None:
    """The suite itself is tested: each way of being wrong is seen."""
    program = (
        f"from fuzz import run\nfrom fuzz.targets import TARGETS\nrun._HANGS, run.SECONDS = {90.0 if told == 'slow' else 3.0}, 0.3\n"
        f"TARGETS['bad'] = lambda world, name, data: {does}\n"
        "with run.bounded(run.BYTES):\n    print(run.tried(None, 'bad', 'x', b'')[0])\n"
    )
    done = subprocess.run([sys.executable, "-c", program], cwd=ROOT, capture_output=True, text=True, check=True)
    assert told in done.stdout


def test_refusals_in_our_own_words_are_fine(monkeypatch: pytest.MonkeyPatch) -> None:
    def refuses(_world: World, _name: str, _data: bytes) -> None:
        raise InputError(ErrorCode.MALFORMED, "no")

    monkeypatch.setitem(TARGETS, "refuses", refuses)
    assert tried(World(None, {}), "refuses", "x", b"") is None  # type: ignore[arg-type]


def test_what_is_found_is_made_small_and_kept(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    def bad(_world: World, _name: str, data: bytes) -> None:
        if b"\x07" in data and b"\x09" in data:
            raise KeyError("both")

    monkeypatch.setitem(TARGETS, "bad", bad)
    world, data = World(None, {}), bytes(range(256)) * 8  # type: ignore[arg-type]
    wrong = tried(world, "bad", "x", data)
    assert wrong is not None
    small = smaller(world, Found("bad", "x", *wrong, "1/1", data))
    assert sorted(small.data) == [7, 9]
    file = keep(small, tmp_path)
    assert file.read_bytes() == small.data
    assert json.loads(file.with_suffix(".json").read_text())["target"] == "bad"


def test_the_same_seed_gives_the_same_inputs(game: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    seen: list[list[tuple[str, str, bytes]]] = []

    def noted(_world: object, target: str, name: str, data: bytes, _patience: float = 1.0) -> None:
        seen[-1].append((target, name, data))

    monkeypatch.setattr(run, "tried", noted)
    for _ in range(2):
        seen.append([])
        list(campaign(game, "same", 60))
    assert seen[0] == seen[1]
    assert {target for target, _, _ in seen[0]} == set(TARGETS)

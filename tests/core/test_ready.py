"""Programs that stay ready: they answer again and again, and whatever becomes of one, the next question is answered."""

from __future__ import annotations

import multiprocessing
import os
import signal
import sys
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from threading import Thread

import pytest

from pruxel.core.base.context import Context
from pruxel.core.deliver.proof import judge
from pruxel.core.deliver.proof.judge import JudgeFailed
from pruxel.core.formats.fbx import FBX
from pruxel.core.formats.gltf import GLB
from pruxel.core.native.processes import NoAnswer
from pruxel.core.native.ready import ask
from tests.scenes import everything

PROGRAM = """
import os, sys, time
from pruxel.core.native import answering
from pruxel.core.native.answering import answered

def answer(words):
    match words:
        case ["who"]: return os.getpid()
        case ["wrong"]: raise ValueError("no such thing")
        case ["noise", much]: print("x" * int(much)); return "said"
        case ["long", much]: return "y" * int(much)
        case ["die"]: os.kill(os.getpid(), 9)
        case ["leave"]: sys.exit("it had enough")
        case ["go"]: os._exit(7)
        case ["wait"]: time.sleep(600)
        case ["grow"]: answering.held = b"x" * (600 << 20); return "grown"

answering._MOST_IDLE_SECONDS = float(sys.argv[1])
answered(answer)
"""


@pytest.fixture
def command(request: pytest.FixtureRequest) -> list[str]:
    """A program of this test alone, so that none that others left is met."""
    return [sys.executable, "-c", PROGRAM + f"# {request.node.name}", "60"]


def gone(pid: int) -> bool:
    """Wait until a process is."""
    end = time.monotonic() + 30
    while time.monotonic() < end:
        state = Path(f"/proc/{pid}/stat")
        try:
            if state.read_text().rsplit(")", 1)[1].split()[0] == "Z":
                return True
        except OSError:
            return True
        time.sleep(0.02)
    return False


def test_one_answers_again_and_again_also_after_what_is_wrong(command: list[str]) -> None:
    first = ask(command, ["who"], 60)
    assert first != os.getpid()
    with pytest.raises(NoAnswer, match="no such thing"):
        ask(command, ["wrong"], 60)
    assert ask(command, ["noise", "200000"], 60) == "said"
    assert len(ask(command, ["long", "3000000"], 60)) == 3_000_000
    assert ask(command, ["who"], 60) == first


def test_what_is_brought_down_says_so_and_another_answers(command: list[str]) -> None:
    first = ask(command, ["who"], 60)
    with pytest.raises(NoAnswer, match="brought down"):
        ask(command, ["die"], 60)
    with pytest.raises(NoAnswer, match="it had enough"):
        ask(command, ["leave"], 60)
    with pytest.raises(NoAnswer, match="ended with 7"):
        ask(command, ["go"], 60)
    assert ask(command, ["who"], 60) != first


def test_what_takes_too_long_is_ended(command: list[str]) -> None:
    first = ask(command, ["who"], 60)
    with pytest.raises(NoAnswer, match="within 0.3 seconds"):
        ask(command, ["wait"], 0.3)
    assert gone(first)
    assert ask(command, ["who"], 60) != first


def test_one_that_was_killed_while_it_waited_is_not_missed(command: list[str]) -> None:
    first = ask(command, ["who"], 60)
    os.kill(first, signal.SIGKILL)
    assert gone(first)
    assert ask(command, ["who"], 60) != first


def test_one_that_nobody_asks_or_that_has_grown_ends_by_itself(command: list[str]) -> None:
    idle = [*command[:-1], "0.2"]
    first = ask(idle, ["who"], 60)
    assert gone(first)
    assert ask(idle, ["who"], 60) != first
    large = ask(command, ["who"], 60)
    assert ask(command, ["grow"], 60) == "grown"
    assert gone(large)
    assert ask(command, ["who"], 60) != large


def test_it_is_no_larger_for_having_been_begun_by_what_is_large(command: list[str]) -> None:
    held = b"x" * (600 << 20)
    first = ask(command, ["who"], 60)
    assert ask(command, ["who"], 60) == first
    assert len(held) == 600 << 20


def test_many_ask_at_once_and_few_are_kept(command: list[str]) -> None:
    with ThreadPoolExecutor(6) as pool:
        found = list(pool.map(lambda _: ask(command, ["who"], 60), range(60)))
    assert len(found) == 60
    assert len({ask(command, ["who"], 60) for _ in range(6)}) == 1
    assert sum(Path(f"/proc/{pid}").exists() for pid in set(found)) <= 2


def test_it_outlives_the_thread_that_asked_first(command: list[str]) -> None:
    found: list[int] = []
    thread = Thread(target=lambda: found.append(ask(command, ["who"], 60)))
    thread.start()
    thread.join()
    time.sleep(0.3)
    assert ask(command, ["who"], 60) == found[0]


def _asked_in_a_fork(command: list[str], pipe: object) -> None:
    pipe.send(ask(command, ["who"], 60))  # type: ignore[attr-defined]


@pytest.mark.filterwarnings("ignore:.*multi-threaded.*:DeprecationWarning")
def test_who_is_forked_asks_its_own(command: list[str]) -> None:
    first = ask(command, ["who"], 60)
    context = multiprocessing.get_context("fork")
    ours, theirs = context.Pipe()
    process = context.Process(target=_asked_in_a_fork, args=(command, theirs))
    process.start()
    assert ours.poll(60)
    other = ours.recv()
    process.join(60)
    assert other != first
    assert gone(other), "it ends with who started it"
    assert ask(command, ["who"], 60) == first


def test_a_judge_reads_the_same_whatever_it_read_before(tmp_path: Path) -> None:
    files = {}
    for how, spec in (("gltf", GLB), ("fbx", FBX)):
        [main, *_] = spec.write(everything(), how, spec.options(), Context())
        files[how] = tmp_path / main.path
        files[how].write_bytes(b"".join(bytes(piece) for piece in main.pieces))
    bad = tmp_path / "bad.glb"
    bad.write_bytes(b"glTF" + bytes(40))

    def seen(how: str) -> str:
        read = judge.read_back(files[how], how)
        return repr((read.nodes, read.parts, read.materials, read.clips, [g.weights for g in read.geometries]))

    first = {how: seen(how) for how in files}
    for how in ("fbx", "gltf", "fbx"):
        with pytest.raises(JudgeFailed, match="bad.glb"):
            judge.read_back(bad, "gltf")
        assert seen(how) == first[how]

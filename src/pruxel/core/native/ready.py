"""Programs that stay ready for the next question, since starting one takes longer than most answers.

Such a program reads a line of JSON for each question, a list of words, and writes a line for each answer:
`{"answer": …}` or `{"wrong": "…"}`. It ends by itself when its input ends or nobody asks for a while.
"""

from __future__ import annotations

import atexit
import contextlib
import json
import os
import select
import subprocess
import tempfile
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from threading import Lock
from typing import IO, Any

from pruxel.core.native.processes import NoAnswer, ending_with_us

_MOST_IDLE = 2
_MOST_WORDS = 400
_LAST_WORDS_SECONDS = 1.0


@dataclass(eq=False)
class _Running:
    """A process, and the file that its last words go to: a pipe would want to be read."""

    process: subprocess.Popen[bytes]
    last_words: IO[bytes]

    def ended(self) -> str:
        """What it said last, or how it ended; it closed its output, or its input is closed."""
        with contextlib.suppress(subprocess.TimeoutExpired):
            self.process.wait(_LAST_WORDS_SECONDS)
        return self.end()

    def end(self) -> str:
        """The same of one that is killed, should it still run."""
        self.process.kill()
        code = self.process.wait()
        for pipe in (self.process.stdin, self.process.stdout):
            assert pipe is not None
            pipe.close()
        self.last_words.seek(0)
        said = self.last_words.read().decode("utf-8", "replace").strip()[-_MOST_WORDS:]
        self.last_words.close()
        return said or ("the reader was brought down" if code < 0 else f"the reader ended with {code}")


class _Ended(Exception):  # noqa: N818 - what happened
    """It ended without an answer."""


@dataclass(eq=False)
class _Shelf:
    """What one process of ours keeps ready; another that is forked from it begins with an empty one."""

    owner: int = field(default_factory=os.getpid)
    idle: dict[tuple[str, ...], list[_Running]] = field(default_factory=dict)
    lock: Lock = field(default_factory=Lock)
    # The system ends a program with the thread that started it: this one stays.
    starter: ThreadPoolExecutor = field(default_factory=lambda: ThreadPoolExecutor(1, "starts-programs"))


_shelf = _Shelf()


def ask(command: Sequence[str], words: Sequence[str], seconds: float) -> Any:  # noqa: ANN401 - what it answers
    """The answer of a program to a question, by one that is ready or a new one.

    Raises `NoAnswer` with the reason: what it says is wrong, its last words, or that it takes longer than `seconds`.
    """
    key = tuple(command)
    while (one := _taken(key)) is not None:
        try:
            return _asked(key, one, words, seconds)
        except _Ended:  # while nobody asked, as it may
            continue
    try:
        return _asked(key, _ours().starter.submit(_begun, key).result(), words, seconds)
    except _Ended as ended:
        raise NoAnswer(str(ended)) from None


def _ours() -> _Shelf:
    global _shelf  # noqa: PLW0603 - after a fork
    if _shelf.owner != os.getpid():
        _shelf = _Shelf()
    return _shelf


@atexit.register
def _end_all() -> None:
    for idle in _ours().idle.values():
        while idle:
            idle.pop().end()


def _taken(key: tuple[str, ...]) -> _Running | None:
    shelf = _ours()
    with shelf.lock:
        idle = shelf.idle.get(key)
        return idle.pop() if idle else None


def _begun(command: tuple[str, ...]) -> _Running:
    last_words = tempfile.TemporaryFile()  # noqa: SIM115 - closed when the process has ended
    process = subprocess.Popen(  # noqa: S603 - our own programs
        ending_with_us(command), bufsize=0, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=last_words
    )
    return _Running(process, last_words)


def _asked(key: tuple[str, ...], one: _Running, words: Sequence[str], seconds: float) -> Any:  # noqa: ANN401
    try:
        line = _line(one.process, json.dumps(list(words)).encode() + b"\n", seconds)
    except TimeoutError:
        one.end()
        raise NoAnswer(f"it did not come to an end within {seconds:g} seconds") from None
    except OSError:
        raise _Ended(one.ended()) from None
    except BaseException:
        one.end()
        raise
    if not line.endswith(b"\n"):
        raise _Ended(one.ended())
    shelf = _ours()
    with shelf.lock:
        idle = shelf.idle.setdefault(key, [])
        kept = len(idle) < _MOST_IDLE
        if kept:
            idle.append(one)
    if not kept:
        one.end()
    said = json.loads(line)
    if "wrong" in said:
        raise NoAnswer(str(said["wrong"]))
    return said["answer"]


def _line(process: subprocess.Popen[bytes], question: bytes, seconds: float) -> bytes:
    """The line that follows a question, without its end where the program ended first.

    Raises TimeoutError when nothing comes for so long, OSError when the program is gone.
    """
    assert process.stdin is not None
    assert process.stdout is not None
    process.stdin.write(question)
    answers = select.poll()
    answers.register(process.stdout, select.POLLIN)
    pieces: list[bytes] = []
    while not pieces or not pieces[-1].endswith(b"\n"):
        if not answers.poll(seconds * 1000):
            raise TimeoutError
        piece = os.read(process.stdout.fileno(), 1 << 20)
        if not piece:
            break
        pieces.append(piece)
    return b"".join(pieces)

"""Programs of others that we start: they end when we do, however that comes about."""

from __future__ import annotations

import shutil
import subprocess
from collections.abc import Sequence
from functools import lru_cache

from pruxel.core.base.arrays import Bytes

_MOST_SECONDS = 120


class NoAnswer(Exception):  # noqa: N818 - says what happened, in words for a message
    """A process of its own that ended without an answer."""


@lru_cache(maxsize=1)
def _setpriv() -> str | None:
    return shutil.which("setpriv")


def ending_with_us(command: Sequence[str], sign: str = "KILL") -> list[str]:
    """The command in such a way that the system sends it a signal when whoever started it dies.

    By util-linux's `setpriv`, which every Debian has; where it is missing the command is as it was.
    """
    setpriv = _setpriv()
    return list(command) if setpriv is None else [setpriv, "--pdeathsig", sign, *command]


def answer_of(command: Sequence[str], data: Bytes) -> bytes:
    """What a program writes when it is given `data`: for libraries that damaged files bring down.

    Raises `NoAnswer` with the reason: it was brought down, says what is wrong, or takes longer than two minutes.
    """
    try:
        done = subprocess.run(  # noqa: S603 - our own programs
            ending_with_us(command), input=data, capture_output=True, timeout=_MOST_SECONDS, check=False
        )
    except subprocess.TimeoutExpired:
        raise NoAnswer(f"it takes longer than {_MOST_SECONDS} seconds") from None
    if done.returncode < 0:
        raise NoAnswer("it brings the reader down")
    if done.returncode > 0:
        raise NoAnswer(done.stderr.decode("utf-8", "replace").strip()[-200:] or "its reader ended")
    return done.stdout

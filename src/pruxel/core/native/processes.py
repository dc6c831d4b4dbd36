"""Programs of others that we start: they end when we do, however that comes about."""

from __future__ import annotations

import shutil
from collections.abc import Sequence
from functools import lru_cache


@lru_cache(maxsize=1)
def _setpriv() -> str | None:
    return shutil.which("setpriv")


def ending_with_us(command: Sequence[str], sign: str = "KILL") -> list[str]:
    """The command in such a way that the system sends it a signal when whoever started it dies.

    By util-linux's `setpriv`, which every Debian has; where it is missing the command is as it was.
    """
    setpriv = _setpriv()
    return list(command) if setpriv is None else [setpriv, "--pdeathsig", sign, *command]

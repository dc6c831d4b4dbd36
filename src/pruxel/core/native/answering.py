"""What a program of ours does that stays ready (`native.ready`): answer one question after another."""

from __future__ import annotations

import json
import os
import select
import sys
from collections.abc import Callable
from pathlib import Path

_MOST_IDLE_SECONDS = 30.0
_MOST_BYTES = 512 << 20
_MEMORY, _PAGE = Path("/proc/self/statm"), os.sysconf("SC_PAGE_SIZE")


def answered(answer: Callable[[list[str]], object]) -> None:
    """Answer each line of the input, until it ends, nobody asks for a while, or the process has grown."""
    # The output is for answers; what a library prints goes where the last words go.
    out = os.fdopen(os.dup(1), "w")
    os.dup2(2, 1)
    while select.select([sys.stdin], [], [], _MOST_IDLE_SECONDS)[0]:
        line = sys.stdin.buffer.readline()
        if not line:
            return
        try:
            said = {"answer": answer(json.loads(line))}
        except Exception as error:  # noqa: BLE001 - told to who asked
            said = {"wrong": str(error) or type(error).__name__}
        out.write(json.dumps(said) + "\n")
        out.flush()
        # Not what getrusage says: that begins with the size of whoever started this.
        if int(_MEMORY.read_text().split()[1]) * _PAGE > _MOST_BYTES:
            return

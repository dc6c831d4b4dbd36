"""A hundred thousand changed files, each read by the layout that ships for it: our own errors only, in bounds."""

from __future__ import annotations

import subprocess
import sys
import time
from pathlib import Path

from pruxel.sample.cached import cached_sample

_INPUTS = 100_000
_PROGRAM = """
import sys
from pathlib import Path
from fuzz.run import campaign
count = wrong = 0
for found in campaign(Path(sys.argv[1]), "bench", int(sys.argv[2]), "shipped", 3.0):
    count += 1
    if found is not None:
        wrong += 1
        print(found.line(), file=sys.stderr)
print(count, wrong)
"""


def run() -> None:
    """In a process of its own: its memory is bounded, and an input may end it."""
    folder = cached_sample(Path(".data/samples").resolve(), 1, lambda _f, _m: None)
    begun = time.monotonic()
    done = subprocess.run(
        [sys.executable, "-c", _PROGRAM, str(folder), str(_INPUTS)], stdout=subprocess.PIPE, text=True, check=True
    )
    count, wrong = map(int, done.stdout.split()[-2:])
    mark = "reached" if count == _INPUTS and not wrong else "MISSED"
    took = (time.monotonic() - begun) / 60
    print(
        f"changed files read by shipped layouts: {count:,}, mistakes {wrong} (goal 0)   {mark}   ({took:.0f} min)",
        flush=True,
    )

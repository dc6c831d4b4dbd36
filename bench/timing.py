"""Best of several runs, and a line for each ratio."""

from __future__ import annotations

import gc
import time
from collections.abc import Callable


def best(run: Callable[[], object], times: int = 3) -> float:
    """The shortest of several runs in seconds, after one that does not count."""
    run()
    found = []
    for _ in range(times):
        gc.collect()
        start = time.perf_counter()
        run()
        found.append(time.perf_counter() - start)
    return min(found)


def by_turns(ours: Callable[[], object], other: Callable[[], object], times: int = 7) -> tuple[float, float]:
    """The shortest of several runs of each, by turns, so that a slow moment of the machine falls on both."""
    pairs = [(best(ours, 1), best(other, 1)) for _ in range(times)]
    return min(p[0] for p in pairs), min(p[1] for p in pairs)


def line(what: str, ours: float, other: float, goal: float, *, unit: float = 1e3, word: str = "ms") -> None:
    """One ratio beside its goal."""
    ratio = ours / other
    mark = "reached" if ratio <= goal else "MISSED"
    measured = f"({ours * unit:.1f} {word} : {other * unit:.1f} {word})"
    print(f"{what:58} {ratio:8.3f}   goal {goal:<6g} {mark:8} {measured}", flush=True)

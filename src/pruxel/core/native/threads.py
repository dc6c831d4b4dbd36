"""Row ranges on both cores, for kernels that release the GIL.

Numba's own parallel loops are not used: its portable scheduler must not be entered from two threads at once, and
a worker runs several jobs.
"""

from __future__ import annotations

import os
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from typing import Generic, TypeVar

A = TypeVar("A")
B = TypeVar("B")
_CORES = max(1, min(os.cpu_count() or 1, 8))
_POOL = ThreadPoolExecutor(_CORES, thread_name_prefix="kernel")
_WORTH_SPLITTING = 1 << 15


def over_ranges(count: int, run: Callable[[int, int], object], worth_splitting: int = _WORTH_SPLITTING) -> None:
    """Call `run(start, stop)` over slices that cover 0..count, at once; raises what the first failure raised."""
    if count < worth_splitting or _CORES == 1:
        run(0, count)
        return
    edges = [count * i // _CORES for i in range(_CORES + 1)]
    waiting = [_POOL.submit(run, edges[i], edges[i + 1]) for i in range(_CORES)]
    for one in waiting:
        one.result()


class Aside(Generic[B]):
    """Something that is made on another core meanwhile."""

    def __init__(self, make: Callable[[], B]) -> None:
        self._make, self._made = make, _POOL.submit(make)

    def result(self) -> B:
        """What was made; whoever asks before it is begun makes it, and so never waits for what waits."""
        return self._make() if self._made.cancel() else self._made.result()


def made_ahead(items: Iterable[A], make: Callable[[A], B]) -> Iterator[B]:
    """Make something of each item on all cores, in order, a few ahead of who takes them and no more."""
    waiting: deque[Future[B]] = deque()
    try:
        for item in items:
            waiting.append(_POOL.submit(make, item))
            if len(waiting) > 2 * _CORES:
                yield waiting.popleft().result()
        while waiting:
            yield waiting.popleft().result()
    finally:
        for one in waiting:
            one.cancel()

"""Results of steps by key: in memory, bounded in bytes, with room for a slower store behind."""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import dataclass, field
from threading import Lock
from typing import Protocol

from pruxel.core.scene.manifest import bytes_of
from pruxel.core.steps.registry import StepResult

_DEFAULT_BYTES = 1 << 30


class StepCache(Protocol):
    """Results by key."""

    def get(self, key: str) -> StepResult | None:
        """The stored result, or None."""

    def put(self, key: str, result: StepResult) -> None:
        """Store a result."""


@dataclass
class MemoryCache:
    """The results used last, of at most `most_bytes` together. Scenes share arrays, and what is shared counts once."""

    most_bytes: int = _DEFAULT_BYTES
    # With each result what its scene holds, see `bytes_of`: what scenes share counts once.
    _kept: OrderedDict[str, tuple[StepResult, dict[int, int]]] = field(default_factory=OrderedDict)
    _lock: Lock = field(default_factory=Lock)

    def get(self, key: str) -> StepResult | None:
        """The stored result, or None."""
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
            found = self._kept.get(key)
            return None if found is None else found[0]

    def put(self, key: str, result: StepResult) -> None:
        """Store a result; those unused longest go. One that is too large alone is kept by itself."""
        with self._lock:
            self._kept[key] = (result, bytes_of(result.scene))
            self._kept.move_to_end(key)
            sizes: dict[int, int] = {}
            for number, known in enumerate(reversed(list(self._kept))):
                sizes |= self._kept[known][1]
                if number and sum(sizes.values()) > self.most_bytes:
                    for _ in range(len(self._kept) - number):
                        self._kept.popitem(last=False)
                    return


@dataclass
class LayeredCache:
    """Memory before a store: what is found behind is kept in front."""

    front: MemoryCache
    behind: StepCache

    def get(self, key: str) -> StepResult | None:
        """The stored result, or None."""
        found = self.front.get(key)
        if found is None:
            found = self.behind.get(key)
            if found is not None:
                self.front.put(key, found)
        return found

    def put(self, key: str, result: StepResult) -> None:
        """Store a result in both."""
        self.front.put(key, result)
        self.behind.put(key, result)

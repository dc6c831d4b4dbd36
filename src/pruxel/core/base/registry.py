"""A named list that modules add themselves to."""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Iterator
from types import ModuleType
from typing import Generic, TypeVar

from pruxel.core.base.errors import ErrorCode, UsageError

T = TypeVar("T")


class Registry(Generic[T]):
    """Things of one sort by name. `word` is what a person calls such a thing."""

    def __init__(self, word: str) -> None:
        self._word = word
        self._items: dict[str, T] = {}

    def add(self, name: str, item: T) -> None:
        """Register one thing; names are unique."""
        if name in self._items:
            message = f"two {self._word}s are called {name!r}"
            raise ValueError(message)
        self._items[name] = item

    def get(self, name: str) -> T:
        """Return the thing of that name, or raise `UsageError` naming those there are."""
        if name not in self._items:
            raise UsageError(
                ErrorCode.USAGE,
                f"there is no {self._word} called {name!r}",
                expected=f"one of {', '.join(sorted(self._items))}",
                found=repr(name),
            )
        return self._items[name]

    def __iter__(self) -> Iterator[T]:
        return iter(self._items[name] for name in sorted(self._items))

    def names(self) -> list[str]:
        """All names, sorted."""
        return sorted(self._items)


def import_all(package: ModuleType) -> None:
    """Import every module below a package, so that each registers what it holds."""
    for module in pkgutil.walk_packages(package.__path__, package.__name__ + "."):
        importlib.import_module(module.name)

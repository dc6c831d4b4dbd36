"""Progress, cancel and budgets, given to every long function as one object."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import TypeVar

from pruxel.core.base.errors import CancelledError
from pruxel.core.base.limits import Limits

T = TypeVar("T")


def _silent(_fraction: float, _message: str) -> None:
    return None


def _never() -> bool:
    return False


@dataclass(frozen=True)
class Context:
    """What a long function may report and must obey.

    `report` receives the fraction done (0 to 1) of the whole job; `start` and `span` are the slice of it
    that this context speaks for.
    """

    report: Callable[[float, str], None] = _silent
    cancelled: Callable[[], bool] = _never
    limits: Limits = field(default_factory=Limits)
    start: float = 0.0
    span: float = 1.0

    def progress(self, fraction: float, message: str = "") -> None:
        """Tell how far this slice is; raises `CancelledError` when the person asked to stop."""
        self.check()
        self.report(self.start + self.span * min(max(fraction, 0.0), 1.0), message)

    def check(self) -> None:
        """Raise `CancelledError` when the person asked to stop."""
        if self.cancelled():
            raise CancelledError

    def part(self, start: float, end: float) -> Context:
        """Return a context for the slice from `start` to `end` (fractions of this one)."""
        return Context(
            self.report,
            self.cancelled,
            self.limits,
            self.start + self.span * start,
            self.span * (end - start),
        )

    def each(self, items: Sequence[T], message: Callable[[T], str]) -> Iterator[tuple[T, Context]]:
        """Walk over items, reporting before each; yields the item and the context for its slice."""
        total = max(len(items), 1)
        for index, item in enumerate(items):
            self.progress(index / total, message(item))
            yield item, self.part(index / total, (index + 1) / total)

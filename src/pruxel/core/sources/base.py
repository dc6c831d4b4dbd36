"""What every source offers."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, Fault, InputError
from pruxel.core.sources.kinds import Kind


@dataclass(frozen=True)
class Listed:
    """One path in one source; `size` in bytes when unpacked, `stored` as it lies there."""

    path: str
    kind: Kind
    size: int
    stored: int
    codec: str = "stored"


@dataclass(frozen=True)
class Listing:
    """What a source holds, and what in it cannot be used."""

    entries: tuple[Listed, ...]
    problems: tuple[Fault, ...] = ()


class Source(Protocol):
    """A folder, a pack or a single file."""

    @property
    def label(self) -> str:
        """The name shown to people."""

    @property
    def kind(self) -> str:
        """`folder`, `zip`, `file`, or the name of the pack's layout."""

    def listing(self, context: Context) -> Listing:
        """All entries; raises `InputError` only when nothing at all can be read."""

    def read(self, path: str, context: Context) -> memoryview:
        """The unpacked bytes of one entry; raises `InputError`."""


def not_found(path: str, label: str) -> InputError:
    """The error for a path that a source does not hold."""
    return InputError(
        ErrorCode.NOT_FOUND,
        f"there is no '{path}' in {label}",
        file=path,
        hint="List the entries to see what there is.",
    )

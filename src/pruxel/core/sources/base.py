"""What every source offers."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple, Protocol

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, Fault, InputError
from pruxel.core.knowledge.kinds import Kind


class Listed(NamedTuple):
    """One path in one source; `size` in bytes when unpacked, `stored` as it lies there.

    `stamp` tells one content from another of the same path and size: a checksum where the source keeps one, a time of
    change or a place in the pack otherwise. A tuple, since a pack may list a million of them.
    """

    path: str
    kind: Kind
    size: int
    stored: int
    codec: str = "stored"
    stamp: int = 0


@dataclass(frozen=True)
class Listing:
    """What a source holds, and what in it cannot be used. `entries` may be made row by row as they are walked over."""

    entries: Sequence[Listed]
    problems: tuple[Fault, ...] = ()


class Source(Protocol):
    """A folder, a pack or a single file."""

    @property
    def label(self) -> str:
        """The name shown to people."""

    @property
    def kind(self) -> str:
        """`folder`, `zip`, `archive`, `file`, or the name of the pack's layout."""

    def listing(self, context: Context) -> Listing:
        """All entries; raises `InputError` only when nothing at all can be read."""

    def read(self, path: str, context: Context) -> memoryview:
        """The unpacked bytes of one entry; raises `InputError`."""


def problems_of(source: Source, listing: Listing) -> tuple[Fault, ...]:
    """What a listing says is wrong, and, of an archive or pack without a single entry, that there is none."""
    if listing.entries or listing.problems or source.kind == "folder":
        return listing.problems
    nothing = Fault(
        ErrorCode.MALFORMED,
        "there is nothing in it",
        file=source.label,
        expected="at least one entry",
        hint="It may be a placeholder, or a copy that was broken off.",
    )
    return (nothing,)


def not_found(path: str, label: str) -> InputError:
    """The error for a path that a source does not hold."""
    return InputError(
        ErrorCode.NOT_FOUND,
        f"there is no '{path}' in {label}",
        file=path,
        hint="List the entries to see what there is.",
    )


def renamed(label: str, found: str, safe: str, offset: int | None = None) -> Fault:
    """The problem row for a name that is not shown as the source has it."""
    return Fault(
        ErrorCode.UNSAFE_NAME,
        "an entry's name cannot be shown or written as it is",
        file=label,
        offset=offset,
        expected="a relative name that can be seen, without '..', once in any letter case",
        found=repr(found[:200]),
        hint=f"It is shown as '{safe}' and never written outside the chosen folder.",
    )

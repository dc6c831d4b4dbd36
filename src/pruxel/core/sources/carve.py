"""Find known formats inside any bytes, and give the finds as entries of a source of their own."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.sources.base import Listed, Listing, not_found
from pruxel.core.sources.kinds import Kind
from pruxel.core.sources.origin import Origin
from pruxel.core.sources.signatures import SIGNATURES

_MOST_HITS = 100_000
_WINDOW = 32 << 20
_OVERLAP = 64
_MOST_MEASURED = 2_000_000


@dataclass(frozen=True)
class Hit:
    """A find: `size` bytes at `offset` that hold together as what `format` names."""

    format: str
    ending: str
    kind: Kind
    offset: int
    size: int

    @property
    def path(self) -> str:
        """The name that the find gets."""
        return f"{self.offset:012x}.{self.ending}"


def carve(data: memoryview, name: str, context: Context, first: int = 0, last: int | None = None) -> list[Hit]:
    """All finds in a range of bytes, by offset; one that lies inside another is left out.

    Raises `InputError` when the range lies outside the bytes.
    """
    stop = len(data) if last is None else last
    if not 0 <= first <= stop <= len(data):
        raise InputError(
            ErrorCode.ENTRY_OUTSIDE_FILE,
            "the range lies outside the bytes",
            file=name,
            offset=first,
            expected=f"a range within {len(data):,} bytes",
            found=f"{first:,} to {stop:,}",
        )
    part = data[first:stop]
    found: list[Hit] = []
    for begin in range(0, max(len(part), 1), _WINDOW):
        context.progress(begin / max(len(part), 1), f"{name}: {len(found):,} found")
        window = bytes(part[max(begin - _OVERLAP, 0) : begin + _WINDOW])
        found += _in_window(part, window, max(begin - _OVERLAP, 0), first, context)
        if len(found) > _MOST_HITS:
            raise InputError(
                ErrorCode.BUDGET, "there are too many finds", file=name, expected=f"at most {_MOST_HITS:,}",
                hint="Search a smaller range.",
            )  # fmt: skip
    return _outermost(found)


def _in_window(part: memoryview, window: bytes, base: int, first: int, context: Context) -> list[Hit]:
    hits = []
    for signature in SIGNATURES:
        over = -1
        for number, match in enumerate(signature.pattern.finditer(window)):
            if number % 512 == 0:
                context.check()
            if number > _MOST_MEASURED or base + match.start() < over:
                continue
            span = signature.measure(part, base + match.start())
            if span is not None:
                over = span[1]
                size = span[1] - span[0]
                hits.append(Hit(signature.name, signature.ending, signature.kind, first + span[0], size))
    return hits


def _outermost(found: list[Hit]) -> list[Hit]:
    kept: list[Hit] = []
    for hit in sorted(set(found), key=lambda h: (h.offset, -h.size)):
        if not kept or hit.offset >= kept[-1].offset + kept[-1].size:
            kept.append(hit)
    return kept


@dataclass(frozen=True)
class CarvedSource:
    """Chosen finds in the bytes of an origin, as entries."""

    origin: Origin
    hits: Sequence[Hit]
    kind: str = "carved"

    @property
    def label(self) -> str:
        """The name of what was searched."""
        return f"found in {self.origin.name}"

    def listing(self, context: Context) -> Listing:
        """Every find, below a folder named after what was searched."""
        context.check()
        return Listing(tuple(Listed(self._path(h), h.kind, h.size, h.size, "stored", h.offset) for h in self.hits))

    def _path(self, hit: Hit) -> str:
        return f"{self.origin.name}.found/{hit.path}"

    def read(self, path: str, context: Context) -> memoryview:
        """The bytes of one find."""
        context.check()
        found = next((hit for hit in self.hits if self._path(hit) == path), None)
        if found is None:
            raise not_found(path, self.label)
        data = self.origin.open()
        if found.offset + found.size > len(data):
            raise InputError(
                ErrorCode.SOURCE_CHANGED,
                "the searched file is shorter than it was",
                file=self.origin.name,
                offset=found.offset,
                hint="Search it again.",
            )
        return data[found.offset : found.offset + found.size]

"""Find known formats inside any bytes, and give the finds as entries of a source of their own."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.knowledge.kinds import Kind
from pruxel.core.sources.base import Listed, Listing, not_found
from pruxel.core.sources.origin import Origin
from pruxel.core.sources.signatures import SIGNATURES, Measure, Signature, SpentError, Work

_MOST_HITS = 100_000
_WINDOW = 32 << 20
_OVERLAP = 64
_FREE_WORK, _WORK, _EACH = 64 << 20, 16, 16


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


@dataclass(frozen=True)
class Carved:
    """What was found, by offset, and the formats that were given up on: too many beginnings had no end."""

    hits: tuple[Hit, ...]
    given_up: tuple[str, ...] = ()


def carve(data: memoryview, name: str, context: Context, first: int = 0, last: int | None = None) -> Carved:
    """All finds in a range of bytes; one that lies inside another is left out.

    A format may look at `_WORK` times as many bytes as there are, so that none makes a search endless. Raises
    `InputError` when the range lies outside the bytes.
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
    given_up = []
    for number, signature in enumerate(SIGNATURES):
        slice_of = context.part(number / len(SIGNATURES), (number + 1) / len(SIGNATURES))
        work = Work(context, _FREE_WORK + _WORK * len(part))
        try:
            for hit in _hits(part, signature, first, work, slice_of):
                found.append(hit)
                if len(found) > _MOST_HITS:
                    raise InputError(
                        ErrorCode.BUDGET, "there are too many finds", file=name, expected=f"at most {_MOST_HITS:,}",
                        hint="Search a smaller range.",
                    )  # fmt: skip
        except SpentError:
            given_up.append(signature.name)
    return Carved(tuple(_outermost(found)), tuple(given_up))


def _hits(part: memoryview, signature: Signature, first: int, work: Work, context: Context) -> Iterator[Hit]:
    """The finds of one format; what lies inside one of its own is passed over."""
    measure: Measure | None = None
    over = -1
    for begin in range(0, len(part), _WINDOW):
        context.progress(begin / len(part), signature.name)
        base = max(begin - _OVERLAP, 0)
        for number, match in enumerate(signature.pattern.finditer(bytes(part[base : begin + _WINDOW]))):
            if number % 512 == 0:
                context.check()
            at = base + match.start()
            if at < over:
                continue
            measure = measure or signature.prepare(part, work)
            work.spend(_EACH)
            span = measure(at)
            if span is not None:
                over = span[1]
                yield Hit(signature.name, signature.ending, signature.kind, first + span[0], span[1] - span[0])


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

"""The numbers at the beginning of a file: counts, strides and places that its head may state."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import AnyArray, ByteArray

HEAD_BYTES = 128
_BEFORE = 32
_LEAST = 8
_NARROW_END = 64


@dataclass(frozen=True)
class Number:
    """A whole number of type `type` at byte `offset`."""

    offset: int
    type: str
    value: int


@dataclass(frozen=True)
class Numbers:
    """What the first bytes say, read in one byte order; small numbers, which are everywhere, are left out.

    Only whole numbers of 32 bits state a place, the others happen too often.
    """

    by_value: dict[int, Number]

    def place(self, byte: int) -> Number | None:
        """The number, standing before it, that states that something begins at this byte."""
        found = self.by_value.get(byte)
        return found if found is not None and found.type == "u32" and found.offset + 4 <= byte else None

    def before(self, end: int, *without: int) -> Numbers:
        """Those that stand before a byte, without some values."""
        return Numbers({v: one for v, one in self.by_value.items() if one.offset < end and v not in without})

    def near(self, value: int, most: int) -> int | None:
        """The stated number nearest to a value, no more than `most` away."""
        found = [one for one in self.by_value if abs(one - value) <= most]
        return min(found, key=lambda one: (abs(one - value), one), default=None)

    def values(self) -> AnyArray:
        """All of them (n,) int64."""
        return np.array(sorted(self.by_value), np.int64)


def read_numbers(data: ByteArray, order: str, end: int) -> Numbers:
    """The u32 at every fourth byte, then the u16 at every second one, of the head and right before the byte `end`."""
    found: dict[int, Number] = {}
    for scalar, size, most in (("u32", 4, HEAD_BYTES), ("u16", 2, _NARROW_END)):
        for first in (0, max(0, end - _BEFORE)):
            part = data[first : min(end, first + most)]
            values = part[: len(part) // size * size].view(np.dtype(f"{order}u{size}")).tolist()
            for row, value in enumerate(values):
                if _LEAST <= value <= max(len(data), 0xFFFF):
                    found.setdefault(value, Number(first + row * size, scalar, value))
    return Numbers(found)

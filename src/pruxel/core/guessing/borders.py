"""Where rows of equal make begin and end: what stands before the first and behind the last is of another make."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import AnyArray, ByteArray
from pruxel.core.guessing.places import plausible

_MOST = 512
_INSIDE, _OUTSIDE = 2.0, 1.2


def standing_apart(data: ByteArray, offset: int, stride: int, count: int, order: str) -> float:
    """How well `count` rows of `stride` bytes from `offset` on stand out from what is around them: -4 to 2.4.

    Rows that are missing because the file begins or ends count half.
    """
    if count < 4:
        return 0.0
    every = data[offset + stride : offset + (count - 1) * stride].reshape(-1, stride)
    if len(every) < count - 2:  # the last row is cut
        return -_INSIDE
    some = every[:: max(1, len(every) // _MOST)]
    usual = _usual(some, order)
    ends = (_row(data, offset + n * stride, stride) for n in (-1, 0, count - 1, count))
    before, first, last, behind = (None if one is None else usual.alike(one) for one in ends)
    inside = 2.0 - (first or 0.0) - (last or 0.0)
    outside = 2.0 - (0.5 if before is None else before) - (0.5 if behind is None else behind)
    return _OUTSIDE * outside - _INSIDE * inside


def _row(data: ByteArray, start: int, stride: int) -> ByteArray | None:
    return data[start : start + stride] if start >= 0 and start + stride <= len(data) else None


@dataclass(frozen=True, eq=False)
class _Usual:
    """What rows hold: the range of each column of four bytes that are floats, and the bytes of all other columns.

    `low`, `high` (f,) float32; `floats` (f,) bool; `bytes` (256, stride) bool: which occur.
    """

    order: str
    low: AnyArray
    high: AnyArray
    floats: AnyArray
    bytes: AnyArray

    def alike(self, row: ByteArray) -> float:
        """The share of a row, (stride,) uint8, that could be among the others."""
        alike = self.bytes[row, np.arange(len(row))]
        values = row[: 4 * len(self.floats)].view(f"{self.order}f4")
        with np.errstate(all="ignore"):
            within = plausible(values) & (values >= self.low) & (values <= self.high)
        head = alike[: 4 * len(self.floats)].reshape(-1, 4)
        head[self.floats] = within[self.floats, None]
        return float(alike.mean())


def _usual(rows: ByteArray, order: str) -> _Usual:
    stride = rows.shape[1]
    values = np.ascontiguousarray(rows[:, : stride // 4 * 4]).view(f"{order}f4")
    with np.errstate(all="ignore"):
        fine = plausible(values)
        low = np.where(fine, values, np.inf).min(axis=0, initial=np.inf)
        high = np.where(fine, values, -np.inf).max(axis=0, initial=-np.inf)
        room = 0.1 * (high - low)
    occurring = np.zeros((256, stride), bool)
    occurring[rows.reshape(-1), np.tile(np.arange(stride), len(rows))] = True
    return _Usual(order, low - room, high + room, fine.mean(axis=0) > 0.97, occurring)

"""Where rows of equal make begin and end: what stands before the first and behind the last is of another make."""

from __future__ import annotations

import numba
import numpy as np

from pruxel.core.base.arrays import ByteArray, FloatArray
from pruxel.core.guessing.places import plausible

_MOST = 512
_FLOATS = 0.97  # of a column's values are plausible where it is one of floats
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
    some = np.ascontiguousarray(every[:: max(1, len(every) // _MOST)])
    ends = [_row(data, offset + n * stride, stride) for n in (-1, 0, count - 1, count)]
    rows = np.stack([np.zeros(stride, np.uint8) if one is None else one for one in ends])
    floats, others = _floats(some, order), _floats(rows, order)
    alike = _alike(some, floats, plausible(floats), rows, others, plausible(others))
    before, first, last, behind = (None if one is None else float(a) for one, a in zip(ends, alike, strict=True))
    inside = 2.0 - (first or 0.0) - (last or 0.0)
    outside = 2.0 - (0.5 if before is None else before) - (0.5 if behind is None else behind)
    return _OUTSIDE * outside - _INSIDE * inside


def _row(data: ByteArray, start: int, stride: int) -> ByteArray | None:
    return data[start : start + stride] if start >= 0 and start + stride <= len(data) else None


def _floats(rows: ByteArray, order: str) -> FloatArray:
    """(n, stride) uint8 as (n, stride // 4) float32: each column of four bytes."""
    whole = np.ascontiguousarray(rows[:, : rows.shape[1] // 4 * 4]).view(f"{order}f4")
    return whole.astype(np.float32)


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _alike(rows, floats, fine, others, other_floats, others_fine):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """The share of each other row that could be among the rows, (m,) from 0 to 1.

    A column of four bytes that are floats in nearly all rows takes what lies in their range, any other byte of the row
    what occurs there. fine, others_fine: which of the floats are plausible.
    """
    count, stride = rows.shape
    occurring = np.zeros((256, stride), np.bool_)
    for n in range(count):
        for at in range(stride):
            occurring[rows[n, at], at] = True
    shares = np.zeros(len(others))
    for column in range(floats.shape[1]):
        low, high = np.float32(np.inf), np.float32(-np.inf)
        for n in range(count):
            if fine[n, column]:
                low, high = min(low, floats[n, column]), max(high, floats[n, column])
        is_float = fine[:, column].sum() > _FLOATS * count
        room = np.float32(0.1) * (high - low)
        for m in range(len(others)):
            value = other_floats[m, column]
            if is_float:
                within = others_fine[m, column] and low - room <= value <= high + room
                shares[m] += 4.0 if within else 0.0
            else:
                for at in range(4 * column, 4 * column + 4):
                    shares[m] += occurring[others[m, at], at]
    for m in range(len(others)):
        for at in range(4 * floats.shape[1], stride):
            shares[m] += occurring[others[m, at], at]
    return shares / stride

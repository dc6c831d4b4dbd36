"""Which faces meet at which edges. A half-edge 3t + k runs from corner k of triangle t to its next corner."""

from __future__ import annotations

import numba
import numpy as np

from pruxel.core.base.arrays import AnyArray, IndexArray

BORDER, CROWDED, NO_LENGTH = -1, -2, -3


@numba.njit(cache=True, nogil=True)
def _pair(corners, table, twin):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    mask = np.int64(len(table) - 1)
    for h in range(len(corners) * 3):
        t, k = h // 3, h % 3
        a, b = np.int64(corners[t, k]), np.int64(corners[t, (k + 1) % 3])
        if a == b:
            twin[h] = -3
            continue
        low, high = min(a, b), max(a, b)
        mixed = (low * np.int64(0x2545F4914F6CDD1D)) ^ high
        mixed = (mixed ^ (mixed >> np.int64(29))) * np.int64(0x2545F4914F6CDD1D)
        slot = (mixed ^ (mixed >> np.int64(32))) & mask
        while True:
            first = table[slot]
            if first < 0:
                table[slot] = h
                break
            ft, fk = first // 3, first % 3
            fa, fb = np.int64(corners[ft, fk]), np.int64(corners[ft, (fk + 1) % 3])
            if min(fa, fb) == low and max(fa, fb) == high:
                if twin[first] == -1:
                    twin[first], twin[h] = h, first
                else:
                    if twin[first] >= 0:
                        twin[twin[first]] = -2
                    twin[first] = twin[h] = -2
                break
            slot = (slot + 1) & mask


def twins(corners: IndexArray) -> AnyArray:
    """(3m,) int64: the half-edge on the other side of each, for triangles (m, 3) of places.

    `BORDER` where one face stands alone, `CROWDED` where more than two meet, `NO_LENGTH` where both ends are one place.
    """
    size = 1 << max(int(len(corners) * 4.5).bit_length(), 4)
    twin = np.full(len(corners) * 3, BORDER, np.int64)
    _pair(np.ascontiguousarray(corners), np.full(size, -1, np.int64), twin)
    return twin

"""Equal rows of whole numbers found by a hash table, in order of first use."""

from __future__ import annotations

import numba
import numpy as np

from pruxel.core.base.arrays import AnyArray, FloatArray, IndexArray


@numba.njit(cache=True, nogil=True)
def _unique(rows, table, new_of_row, firsts):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Number distinct rows of (n, k) in order of first use by an open hash table; returns how many."""
    mask = np.int64(len(table) - 1)
    width = rows.shape[1]
    count = 0
    for i in range(len(rows)):
        mixed = np.int64(0)
        for k in range(width):
            mixed = (mixed ^ np.int64(rows[i, k])) * np.int64(0x2545F4914F6CDD1D)
            mixed ^= mixed >> np.int64(29)
        slot = mixed & mask
        while True:
            known = table[slot]
            if known < 0:
                table[slot] = count
                firsts[count] = i
                new_of_row[i] = count
                count += 1
                break
            j = firsts[known]
            same = True
            for k in range(width):
                if rows[i, k] != rows[j, k]:
                    same = False
                    break
            if same:
                new_of_row[i] = known
                break
            slot = (slot + 1) & mask
    return count


def unique_rows(rows: AnyArray) -> tuple[AnyArray, IndexArray]:
    """(m,) int64 numbers of the first of each distinct row of (n, k) whole numbers, and (n,) uint32: new from old."""
    size = 1 << max(int(len(rows) * 1.5).bit_length(), 4)
    new_of_row, firsts = np.empty(len(rows), np.uint32), np.empty(len(rows), np.int64)
    count = _unique(np.ascontiguousarray(rows), np.full(size, -1, np.int32), new_of_row, firsts)
    return firsts[:count], new_of_row


def bits_of(values: FloatArray) -> AnyArray:
    """Rows (n, k) of float32 as whole numbers that are equal where the floats are: a zero has no sign."""
    return np.ascontiguousarray(values + np.float32(0)).view(np.int32)

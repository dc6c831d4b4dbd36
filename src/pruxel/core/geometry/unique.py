"""Equal rows found: of whole numbers by a hash table, of corners among those of their point; in order of first use."""

from __future__ import annotations

from collections.abc import Sequence

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


_MOST_COMPARED = 16  # rows for each corner, before a hash table finds them sooner
_MOST_IDLE = 8  # points for each corner, beyond which to list them all takes longer


@numba.njit(cache=True, nogil=True)
def _split(group, rows, most, heads, following, firsts, new):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Number corners whose group and row (n, k) are alike; returns how many, -1 after too many comparisons."""
    width = rows.shape[1]
    count, compared = 0, 0
    for i in range(len(group)):
        known = heads[group[i]]
        while known >= 0:
            j = firsts[known]
            same = True
            for k in range(width):
                a, b = rows[i, k], rows[j, k]
                # What is no number is equal to itself here.
                if a != b and not (np.isnan(a) and np.isnan(b)):
                    same = False
                    break
            if same:
                break
            known = following[known]
            compared += 1
        if known < 0:
            if compared > most:
                return -1
            known = count
            firsts[count] = i
            following[count] = heads[group[i]]
            heads[group[i]] = count
            count += 1
        new[i] = known
    return count


def unique_corners(point: AnyArray, points: int, layers: Sequence[AnyArray]) -> tuple[AnyArray, IndexArray]:
    """Corners alike in their point and all layers → one vertex, in order of first use.

    point (c,): the point of each corner, all below `points`; layers: rows (c, k), float32, int32 or int64. Returns as
    `unique_rows` does: (m,) int64 the first corner of each vertex, and (c,) uint32 the vertex of each corner. A point
    has few vertices, so they are found by looking through them: no table that misses the processor's cache.
    """
    count, groups = len(point), points
    if points > _MOST_IDLE * count:
        return _by_table(point, layers)
    group, firsts = point.astype(np.int32), np.empty(count, np.int64)
    for rows in layers or [np.empty((count, 0), np.float32)]:
        new, following = np.empty(count, np.int32), np.empty(count, np.int32)
        heads = np.full(groups, -1, np.int32)
        groups = _split(group, np.ascontiguousarray(rows), _MOST_COMPARED * count, heads, following, firsts, new)
        if groups < 0:
            return _by_table(point, layers)
        group = new
    return firsts[:groups], group.view(np.uint32)


def _by_table(point: AnyArray, layers: Sequence[AnyArray]) -> tuple[AnyArray, IndexArray]:
    columns = [bits_of(one) if one.dtype.kind == "f" else one for one in (point[:, None], *layers)]
    return unique_rows(np.concatenate(columns, axis=1))

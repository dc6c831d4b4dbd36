"""Triangles by a mask, and the vertices that are left for them."""

from __future__ import annotations

import numba
import numpy as np

from pruxel.core.base.arrays import AnyArray, IndexArray

_NONE = 0xFFFFFFFF


@numba.njit(cache=True, nogil=True)
def _count(indices, keep, number):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    for t in range(len(indices)):
        if not keep[t]:
            continue
        number[indices[t, 0]] = number[indices[t, 1]] = number[indices[t, 2]] = 1
    count = np.uint32(0)
    for v in range(len(number)):
        if number[v]:
            number[v] = count
            count += np.uint32(1)
        else:
            number[v] = np.uint32(_NONE)
    return count


@numba.njit(cache=True, nogil=True)
def _renumber(indices, keep, number, old, out):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    for v in range(len(number)):
        if number[v] != np.uint32(_NONE):
            old[number[v]] = v
    at = 0
    for t in range(len(indices)):
        if keep[t]:
            out[at, 0], out[at, 1], out[at, 2] = number[indices[t, 0]], number[indices[t, 1]], number[indices[t, 2]]
            at += 1


def compacted(indices: IndexArray, keep: AnyArray, count: int) -> tuple[IndexArray | None, IndexArray]:
    """The triangles (m, 3) uint32 where `keep` (m,) bool says so, in their order, and the vertices that they use.

    Of `count` vertices those are (n,) uint32, ascending, and the triangles count by them; None where all are used.
    """
    number, indices, keep = np.zeros(count, np.uint32), np.ascontiguousarray(indices), np.ascontiguousarray(keep)
    left = int(_count(indices, keep, number))
    old, out = np.empty(left, np.uint32), np.empty((int(np.count_nonzero(keep)), 3), np.uint32)
    _renumber(indices, keep, number, old, out)
    return None if left == count else old, out

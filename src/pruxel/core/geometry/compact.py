"""Triangles by a mask, and the vertices that are left for them."""

from __future__ import annotations

import numba
import numpy as np

from pruxel.core.base.arrays import AnyArray, IndexArray

_NONE = 0xFFFFFFFF


@numba.njit(cache=True, nogil=True)
def _keep(indices, keep, out):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    at = 0
    for t in range(len(indices)):
        if keep[t]:
            out[at, 0], out[at, 1], out[at, 2] = indices[t, 0], indices[t, 1], indices[t, 2]
            at += 1


@numba.njit(cache=True, nogil=True)
def _count(indices, number):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    for t in range(len(indices)):
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
def _renumber(indices, number, old, out):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    for v in range(len(number)):
        if number[v] != np.uint32(_NONE):
            old[number[v]] = v
    for t in range(len(indices)):
        out[t, 0], out[t, 1], out[t, 2] = number[indices[t, 0]], number[indices[t, 1]], number[indices[t, 2]]


def kept(indices: IndexArray, keep: AnyArray) -> IndexArray:
    """The triangles (m, 3) uint32 where `keep` (m,) bool says so, in their order."""
    out = np.empty((int(np.count_nonzero(keep)), 3), np.uint32)
    _keep(np.ascontiguousarray(indices), np.ascontiguousarray(keep), out)
    return out


def compacted(indices: IndexArray, count: int) -> tuple[IndexArray, IndexArray] | None:
    """Of `count` vertices those that triangles (m, 3) use, (n,) uint32 ascending, and the triangles by these.

    None where they use all.
    """
    number = np.zeros(count, np.uint32)
    left = int(_count(np.ascontiguousarray(indices), number))
    if left == count:
        return None
    old, out = np.empty(left, np.uint32), np.empty((len(indices), 3), np.uint32)
    _renumber(np.ascontiguousarray(indices), number, old, out)
    return old, out

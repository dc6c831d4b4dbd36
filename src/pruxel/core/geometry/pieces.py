"""Connected pieces of a surface: faces that share a place belong together."""

from __future__ import annotations

import numba
import numpy as np

from pruxel.core.base.arrays import IndexArray


@numba.njit(cache=True, nogil=True)
def root_of(parent, i):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN201
    """The root of i, with the way halved."""
    while parent[i] != i:
        parent[i] = parent[parent[i]]
        i = parent[i]
    return i


@numba.njit(cache=True, nogil=True)
def join(parent, a, b):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN201
    """Put two numbers into one set; the smaller root stays."""
    a, b = root_of(parent, a), root_of(parent, b)
    if a < b:
        parent[b] = a
    elif b < a:
        parent[a] = b


@numba.njit(cache=True, nogil=True)
def _label(corners, parent, numbers, out):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    for t in range(len(corners)):
        join(parent, corners[t, 0], corners[t, 1])
        join(parent, corners[t, 0], corners[t, 2])
    count = 0
    for t in range(len(corners)):
        root = root_of(parent, corners[t, 0])
        if numbers[root] < 0:
            numbers[root] = count
            count += 1
        out[t] = numbers[root]
    return count


def pieces(corners: IndexArray, places: int) -> tuple[IndexArray, int]:
    """(m,) uint32: the piece of each triangle (m, 3) of places, numbered by first face, and how many there are."""
    out = np.empty(len(corners), np.uint32)
    count = _label(np.ascontiguousarray(corners), np.arange(places, dtype=np.int64), np.full(places, -1, np.int64), out)
    return out, int(count)

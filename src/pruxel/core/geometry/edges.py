"""Which faces meet at which edges. A half-edge 3t + k runs from corner k of triangle t to its next corner."""

from __future__ import annotations

import numba
import numpy as np

from pruxel.core.base.arrays import AnyArray, IndexArray

BORDER, CROWDED, NO_LENGTH = -1, -2, -3


_FEW = 24  # edges at a vertex up to which going through them is quickest


@numba.njit(cache=True, nogil=True)
def _pair(corners, count, twin):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    # Edges lie together by the lower of their ends, which is near in memory to those around it.
    start = np.zeros(count + 1, np.int64)
    for t in range(len(corners)):
        for k in range(3):
            a, b = corners[t, k], corners[t, (k + 1) % 3]
            if a != b:
                start[min(a, b) + 1] += 1
    for v in range(count):
        start[v + 1] += start[v]
    place = start[:-1].copy()
    far = np.empty(start[count], corners.dtype)
    edge = np.empty(start[count], np.int64)
    for t in range(len(corners)):
        for k in range(3):
            a, b = corners[t, k], corners[t, (k + 1) % 3]
            if a == b:
                twin[3 * t + k] = -3
                continue
            at = place[min(a, b)]
            far[at], edge[at] = max(a, b), 3 * t + k
            place[min(a, b)] = at + 1
    for v in range(count):
        _sort(far[start[v] : start[v + 1]], edge[start[v] : start[v + 1]])
        i = start[v]
        while i < start[v + 1]:
            j = i + 1
            while j < start[v + 1] and far[j] == far[i]:
                j += 1
            if j - i == 2:
                twin[edge[i]], twin[edge[i + 1]] = edge[i + 1], edge[i]
            elif j - i > 2:
                for n in range(i, j):
                    twin[edge[n]] = -2
            i = j


@numba.njit(cache=True, nogil=True)
def _sort(far, edge):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    if len(far) > _FEW:
        order = np.argsort(far, kind="mergesort")
        far[:], edge[:] = far[order], edge[order]
        return
    for i in range(1, len(far)):
        one, mine, j = far[i], edge[i], i
        while j > 0 and far[j - 1] > one:
            far[j], edge[j] = far[j - 1], edge[j - 1]
            j -= 1
        far[j], edge[j] = one, mine


def twins(corners: IndexArray) -> AnyArray:
    """(3m,) int64: the half-edge on the other side of each, for triangles (m, 3) of places.

    `BORDER` where one face stands alone, `CROWDED` where more than two meet, `NO_LENGTH` where both ends are one place.
    """
    twin = np.full(len(corners) * 3, BORDER, np.int64)
    if len(corners):
        _pair(np.ascontiguousarray(corners), int(corners.max()) + 1, twin)
    return twin

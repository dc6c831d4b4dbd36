"""Which faces meet at which edges. A half-edge 3t + k runs from corner k of triangle t to its next corner."""

from __future__ import annotations

import numba
import numpy as np

from pruxel.core.base.arrays import AnyArray, IndexArray

BORDER, CROWDED, NO_LENGTH = -1, -2, -3


_FEW = 24  # edges at a vertex up to which going through them is quickest
_PATIENCE = 16  # edges that are gone through for each half-edge, at most


@numba.njit(cache=True, nogil=True)
def _chained(corners, head, after, far, twin, most):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Whether all are paired: edges hang in a chain from the lower of their ends, mostly three of them."""
    steps = 0
    for t in range(len(corners)):
        for k in range(3):
            a, b = corners[t, k], corners[t, 0 if k == 2 else k + 1]
            h = 3 * t + k
            if a == b:
                twin[h] = -3
                continue
            low, far[h] = min(a, b), max(a, b)
            e = head[low]
            while e >= 0 and far[e] != far[h]:
                e = after[e]
                steps += 1
            if e < 0:
                after[h], head[low] = head[low], h
            elif twin[e] == -1:
                twin[e], twin[h] = h, e
            else:
                if twin[e] >= 0:
                    twin[twin[e]] = -2
                twin[e] = twin[h] = -2
        if steps > most:
            return False
    return True


@numba.njit(cache=True, nogil=True)
def _sorted(corners, count, twin):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """The same however many edges a vertex has."""
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
    """(3m,) int32, or int64 for over 2^31: the half-edge on the other side of each, for triangles (m, 3) of places.

    `BORDER` where one face stands alone, `CROWDED` where more than two meet, `NO_LENGTH` where both ends are one place.
    """
    size = len(corners) * 3
    twin = np.full(size, BORDER, np.int32 if size < 1 << 31 else np.int64)
    if not size:
        return twin
    corners, count = np.ascontiguousarray(corners), int(corners.max()) + 1
    head, after, far = np.full(count, -1, np.int32), np.empty(size, np.int32), np.empty(size, corners.dtype)
    if size >= 1 << 31 or not _chained(corners, head, after, far, twin, _PATIENCE * size):
        twin[:] = BORDER
        _sorted(corners, count, twin)
    return twin

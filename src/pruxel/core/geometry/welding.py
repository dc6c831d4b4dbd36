"""Vertices that are one: at one place, and alike in all that they carry."""

from __future__ import annotations

import numba
import numpy as np

from pruxel.core.base.arrays import AnyArray, FloatArray, IndexArray


@numba.njit(cache=True, nogil=True)
def _alike(place, rows, tolerances, heads, following, firsts, new_of_old):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    count = 0
    for i in range(len(place)):
        at = heads[place[i]]
        found = np.int64(-1)
        while at >= 0:
            j = firsts[at]
            same = True
            for k in range(rows.shape[1]):
                if not abs(rows[i, k] - rows[j, k]) <= tolerances[k]:
                    same = False
                    break
            if same:
                found = at
                break
            at = following[at]
        if found < 0:
            found = np.int64(count)
            firsts[count] = i
            following[count], heads[place[i]] = heads[place[i]], count
            count += 1
        new_of_old[i] = found
    return count


def alike(place: IndexArray, rows: FloatArray, tolerances: FloatArray) -> tuple[AnyArray, IndexArray]:
    """(v,) int64 the first vertex of each kind, and (n,) uint32 new of old.

    Vertices are of one kind where they share a place (n,) and their rows (n, k) differ from those of the kind's first
    by no more than the tolerances (k,) in any column.
    """
    places = int(place.max()) + 1 if len(place) else 0
    firsts, new_of_old = np.empty(len(place), np.int64), np.empty(len(place), np.uint32)
    count = _alike(
        place, np.ascontiguousarray(rows, np.float32), np.ascontiguousarray(tolerances, np.float32),
        np.full(places, -1, np.int64), np.empty(len(place), np.int64), firsts, new_of_old,
    )  # fmt: skip
    return firsts[:count], new_of_old

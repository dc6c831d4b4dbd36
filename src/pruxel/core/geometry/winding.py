"""Faces of a piece that look to one side: neighbours run along their shared edge in opposite ways."""

from __future__ import annotations

from dataclasses import dataclass

import numba
import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray, IndexArray


@dataclass(frozen=True, eq=False)
class Winding:
    """Which faces to turn (m,) bool, and the edges at which no turning makes both sides agree (a one-sided band)."""

    turn: AnyArray
    contradictions: int


@numba.njit(cache=True, nogil=True)
def _spread(corners, twin, areas, turn, piece, stack):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Go from face to face over the edges of two; the smaller share of each patch is turned."""
    count = len(corners)
    contradictions = 0
    for seed in range(count):
        if piece[seed] >= 0:
            continue
        piece[seed], turn[seed] = seed, False
        stack[0], top = seed, 1
        straight, turned = 0.0, 0.0
        while top:
            top -= 1
            t = stack[top]
            if turn[t]:
                turned += areas[t]
            else:
                straight += areas[t]
            for k in range(3):
                other = twin[3 * t + k]
                if other < 0:
                    continue
                u = other // 3
                same_way = corners[u, other % 3] == corners[t, k]
                wanted = turn[t] != same_way
                if piece[u] < 0:
                    piece[u], turn[u] = seed, wanted
                    stack[top] = u
                    top += 1
                elif turn[u] != wanted:
                    contradictions += 1
        if turned > straight:
            # The patch again, all of it the other way.
            stack[0], top = seed, 1
            piece[seed] = count + seed
            while top:
                top -= 1
                t = stack[top]
                turn[t] = not turn[t]
                for k in range(3):
                    other = twin[3 * t + k]
                    if other >= 0 and piece[other // 3] == seed:
                        piece[other // 3] = count + seed
                        stack[top] = other // 3
                        top += 1
    return contradictions // 2


def agreeing(corners: IndexArray, twin: AnyArray, areas: DoubleArray) -> Winding:
    """What to turn so that the faces of every patch look to one side: the side on which most of its area lies.

    corners (m, 3) places; twin (3m,) as `edges.twins` gives it; areas (m,). A patch is what hangs together over edges
    of just two faces.
    """
    turn = np.zeros(len(corners), np.bool_)
    contradictions = _spread(
        np.ascontiguousarray(corners).astype(np.int64), twin, areas, turn, np.full(len(corners), -1, np.int64),
        np.empty(len(corners) + 1, np.int64),
    )  # fmt: skip
    return Winding(turn, int(contradictions))

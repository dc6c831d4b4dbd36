"""From some faces on to those that lie level with them."""

from __future__ import annotations

import numba
import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray


@numba.njit(cache=True, nogil=True)
def _flood(twin, areas, reached, cos_angle, stack):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    top = 0
    for t in range(len(reached)):
        if reached[t]:
            stack[top] = t
            top += 1
    while top:
        top -= 1
        t = stack[top]
        for k in range(3):
            o = twin[3 * t + k]
            if o < 0 or reached[o // 3]:
                continue
            n = o // 3
            size = np.sqrt((areas[t] ** 2).sum() * (areas[n] ** 2).sum())
            if (areas[t] * areas[n]).sum() >= cos_angle * size:
                reached[n] = True
                stack[top] = n
                top += 1


def flooded(twin: AnyArray, areas: DoubleArray, chosen: AnyArray, angle_rad: float) -> AnyArray:
    """The faces that are reached from the chosen ones, (m,) bool, over edges that bend by no more than an angle.

    twin (3m,): as `edges.twins` gives; areas (m, 3): normals as long as twice the area. A face without area stops none.
    """
    reached = chosen.copy()
    exact = np.ascontiguousarray(areas, np.float64)
    _flood(twin, exact, reached, np.cos(angle_rad) - 1e-9, np.empty(len(reached), np.int64))
    return reached

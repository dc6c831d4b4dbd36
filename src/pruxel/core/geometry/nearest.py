"""The nearest place of a surface to points."""

from __future__ import annotations

from dataclasses import dataclass

import numba
import numpy as np
from scipy.spatial import cKDTree

from pruxel.core.base.arrays import AnyArray, DoubleArray, FloatArray, IndexArray

_TRIED = 12  # triangles by their middles, and all at the nearest corner


@dataclass(frozen=True, eq=False)
class Near:
    """For each of n points: a triangle (n,) int64, the place's weights at its corners (n, 3), how far it is (n,)."""

    triangle: AnyArray
    weights: DoubleArray
    distance: DoubleArray


@numba.njit(cache=True, nogil=True)
def _place(p, a, b, c, w):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Weights of the triangle's point nearest to p (C. Ericson, Real-Time Collision Detection, 2005, section 5.1.5)."""
    ab, ac, ap = b - a, c - a, p - a
    d1, d2 = (ab * ap).sum(), (ac * ap).sum()
    w[0], w[1], w[2] = 1.0, 0.0, 0.0
    if d1 <= 0 and d2 <= 0:
        return
    bp = p - b
    d3, d4 = (ab * bp).sum(), (ac * bp).sum()
    if d3 >= 0 and d4 <= d3:
        w[0], w[1] = 0.0, 1.0
        return
    vc = d1 * d4 - d3 * d2
    if vc <= 0 and d1 >= 0 and d3 <= 0:
        v = d1 / (d1 - d3) if d1 - d3 > 0 else 0.0
        w[0], w[1] = 1 - v, v
        return
    cp = p - c
    d5, d6 = (ab * cp).sum(), (ac * cp).sum()
    if d6 >= 0 and d5 <= d6:
        w[0], w[2] = 0.0, 1.0
        return
    vb = d5 * d2 - d1 * d6
    if vb <= 0 and d2 >= 0 and d6 <= 0:
        v = d2 / (d2 - d6) if d2 - d6 > 0 else 0.0
        w[0], w[2] = 1 - v, v
        return
    va = d3 * d6 - d5 * d4
    if va <= 0 and d4 - d3 >= 0 and d5 - d6 >= 0:
        total = (d4 - d3) + (d5 - d6)
        v = (d4 - d3) / total if total > 0 else 0.0
        w[0], w[1], w[2] = 0.0, 1 - v, v
        return
    total = va + vb + vc
    if total > 0:
        w[0], w[1], w[2] = va / total, vb / total, vc / total


@numba.njit(cache=True, nogil=True)
def _nearest(points, surface, indices, tried, starts, around, nearest_corner, out, weights, distance):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    w = np.empty(3)
    for i in range(len(points)):
        best = np.inf
        first, last = starts[nearest_corner[i]], starts[nearest_corner[i] + 1]
        for k in range(tried.shape[1] + last - first):
            t = tried[i, k] if k < tried.shape[1] else around[first + k - tried.shape[1]]
            a, b, c = surface[indices[t, 0]], surface[indices[t, 1]], surface[indices[t, 2]]
            _place(points[i], a, b, c, w)
            d = ((points[i] - (a * w[0] + b * w[1] + c * w[2])) ** 2).sum()
            if d < best:
                best = d
                out[i] = t
                weights[i, 0], weights[i, 1], weights[i, 2] = w[0], w[1], w[2]
        distance[i] = np.sqrt(best)


def nearest_places(points: FloatArray, surface: FloatArray, indices: IndexArray) -> Near:
    """Where a surface, positions (v, 3) and triangles (m, 3) with one at least, is nearest to points (n, 3).

    Looked for among the triangles at the nearest corner and those whose middles are nearest: exact unless triangles are
    far longer than the points' distances.
    """
    exact, there = points.astype(np.float64), surface.astype(np.float64)
    flat = indices.reshape(-1).astype(np.int64)
    order = np.argsort(flat, kind="stable")
    starts = np.searchsorted(flat[order], np.arange(len(surface) + 1))
    used = np.flatnonzero(np.diff(starts))
    corner = used[cKDTree(there[used]).query(exact)[1]]
    middles = cKDTree(there[indices].mean(axis=1))
    tried = middles.query(exact, k=min(_TRIED, len(indices)))[1].reshape(len(points), -1).astype(np.int64)
    triangle, weights, distance = np.zeros(len(points), np.int64), np.empty((len(points), 3)), np.empty(len(points))
    _nearest(exact, there, indices.astype(np.int64), tried, starts, order // 3, corner, triangle, weights, distance)
    return Near(triangle, weights, distance)

"""Triangles → quadrilaterals: which two make one, the best pairs first."""

from __future__ import annotations

from dataclasses import dataclass

import numba
import numpy as np

from pruxel.core.base.arrays import AnyArray, FloatArray, IndexArray, as_indices, places_within, starts_of
from pruxel.core.geometry.polygons import convex_faces


@dataclass(frozen=True, eq=False)
class Pairs:
    """order (m,) int64: triangles with those of a pair behind each other; indices (m, 3) in that order.

    sizes (f,) uint32: corners of each polygon. A pair is (before, ear, after) and the rest, as `triangulate` cuts.
    """

    order: AnyArray
    indices: IndexArray
    sizes: IndexArray


@numba.njit(cache=True, nogil=True)
def _worth(points, indices, twin, free, cos_flat, out, rings):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """How good a quadrilateral (rings) each half-edge would make of its faces, below 0 for none; 1 is a rectangle."""
    for h in range(len(twin)):
        out[h] = -1.0
        o = twin[h]
        if o <= h or not free[h // 3] or not free[o // 3]:
            continue
        t, k = h // 3, h % 3
        s, j = o // 3, o % 3
        # Corners must be the very same vertices: a seam stays an edge.
        a, b = indices[t, k], indices[t, (k + 1) % 3]
        if indices[s, j] != b or indices[s, (j + 1) % 3] != a:
            continue
        c, d = indices[t, (k + 2) % 3], indices[s, (j + 2) % 3]
        corners = (a, d, b, c)
        normals = np.zeros((2, 3))
        for face in range(2):
            x = a if face == 0 else b
            y = b if face == 0 else a
            z = c if face == 0 else d
            for axis in range(3):
                n, m = (axis + 1) % 3, (axis + 2) % 3
                normals[face, axis] = (points[y, n] - points[x, n]) * (points[z, m] - points[x, m]) - (
                    points[y, m] - points[x, m]
                ) * (points[z, n] - points[x, n])
        long = np.sqrt((normals[0] ** 2).sum() * (normals[1] ** 2).sum())
        if not long > 0 or (normals[0] * normals[1]).sum() < cos_flat * long:
            continue
        worst = 0.0
        for corner in range(4):
            p, q, r = corners[corner - 1], corners[corner], corners[(corner + 1) % 4]
            one, two = points[p] - points[q], points[r] - points[q]
            size = np.sqrt((one**2).sum() * (two**2).sum())
            worst = max(worst, abs((one * two).sum()) / size) if size > 0 else 1.0
        out[h] = 1.0 - worst
        rings[h, 0], rings[h, 1], rings[h, 2], rings[h, 3] = a, d, b, c


@numba.njit(cache=True, nogil=True)
def _take(best, worth, twin, mate):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    for h in best:
        if worth[h] < 0:
            break
        t, s = h // 3, twin[h] // 3
        if mate[t] < 0 and mate[s] < 0:
            mate[t] = h
            mate[s] = twin[h]


def paired(
    points: FloatArray, indices: IndexArray, twin: AnyArray, sizes: AnyArray, angle_rad: float, least: float
) -> Pairs:
    """Pair triangles (m, 3) over the edges that they share; polygons stay as they are.

    twin (3m,): the other half of each edge, as `edges.twins` gives; sizes (f,): corners of each polygon that there is;
    angle_rad: how far the planes of two may turn; least, 0 to 1: how right-angled the corners must be (0 any convex
    quadrilateral, 1 only rectangles).
    """
    sizes = sizes.astype(np.int64)
    begin, each = starts_of(sizes - 2), np.repeat(sizes, sizes - 2)
    worth = np.empty(len(twin), np.float64)
    rings = np.zeros((len(twin), 4), np.uint32)
    _worth(points.astype(np.float64), indices.astype(np.int64), twin, each == 3, np.cos(angle_rad), worth, rings)
    worth[worth < least] = -1.0
    # An outline that turns the other way at a corner is none that others cut as we do.
    likely = np.flatnonzero(worth >= 0)
    worth[likely[~convex_faces(points, rings[likely].reshape(-1), np.full(len(likely), 4))]] = -1.0
    mate = np.full(len(indices), -1, np.int64)
    _take(np.argsort(-worth, kind="stable"), worth, twin, mate)
    has = mate >= 0
    other = np.where(has, twin[mate] // 3, -1)
    # A pair stands where its first triangle stood.
    stays = ~has[begin] | (begin < other[begin])
    heads, made = begin[stays], np.where(has[begin], 4, sizes)[stays]
    within = places_within(made - 2)
    order = np.repeat(heads, made - 2) + within
    second = np.repeat(has[heads], made - 2) & (within == 1)
    order[second] = other[order[second] - 1]
    first = np.repeat(has[heads], made - 2) & (within == 0)
    # The corner across the shared edge is the ear of the first, so it stands in the middle.
    turn = np.where(first, mate[order] + 1, 0) % 3
    turned = indices[order][np.arange(len(order))[:, None], (turn[:, None] + np.arange(3)) % 3]
    return Pairs(order, as_indices(turned), made.astype(np.uint32))

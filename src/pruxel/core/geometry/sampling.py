"""Even directions and points, the same on every run."""

from __future__ import annotations

import numpy as np

from pruxel.core.base.arrays import DoubleArray, FloatArray, IndexArray
from pruxel.core.geometry.measure import area_vectors, corner_points

_GOLDEN = (1 + 5**0.5) / 2


def sphere_directions(count: int) -> FloatArray:
    """(count, 3) unit directions spread evenly (Fibonacci lattice)."""
    i = np.arange(count) + 0.5
    z = 1 - 2 * i / count
    angle = 2 * np.pi * i / _GOLDEN
    ring = np.sqrt(np.maximum(0.0, 1 - z * z))
    return np.stack([ring * np.cos(angle), ring * np.sin(angle), z], axis=1).astype(np.float32)


def surface_points(
    positions: FloatArray, indices: IndexArray, count: int
) -> tuple[FloatArray, FloatArray, DoubleArray]:
    """`count` points spread over the surface by area, at fixed places of the cumulated area.

    Returns points (count, 3), counter-clockwise unit normals (count, 3), and the (count,) areas they stand for; fewer
    than `count` never, zero when the surface has no area.
    """
    vectors = area_vectors(positions, indices)
    areas = np.linalg.norm(vectors, axis=1) * 0.5
    total = float(areas.sum())
    if total <= 0 or not np.isfinite(total):
        empty = np.zeros((0, 3), np.float32)
        return empty, empty, np.zeros(0)
    wanted = (np.arange(count) + 0.5) / count * total
    chosen = np.minimum(np.searchsorted(np.cumsum(areas), wanted), len(areas) - 1)
    i = np.arange(count)
    u, v = (i / _GOLDEN) % 1.0, (i / _GOLDEN**2) % 1.0
    over = u + v > 1
    u, v = np.where(over, 1 - u, u)[:, None], np.where(over, 1 - v, v)[:, None]
    a, b, c = corner_points(positions, indices[chosen])
    points = a + u * (b - a) + v * (c - a)
    normals = vectors[chosen] / np.maximum(areas[chosen] * 2, 1e-30)[:, None]
    return points.astype(np.float32), normals.astype(np.float32), np.full(count, total / count)

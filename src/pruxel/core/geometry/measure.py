"""Areas, volumes and normals of triangles."""

from __future__ import annotations

import numpy as np

from pruxel.core.base.arrays import DoubleArray, FloatArray, IndexArray


def corner_points(positions: FloatArray, indices: IndexArray) -> tuple[FloatArray, FloatArray, FloatArray]:
    """The three (m, 3) corners of each triangle."""
    return positions[indices[:, 0]], positions[indices[:, 1]], positions[indices[:, 2]]


def area_vectors(positions: FloatArray, indices: IndexArray) -> DoubleArray:
    """The (m, 3) float64 cross products: twice the area, along the counter-clockwise normal."""
    a, b, c = (corner.astype(np.float64) for corner in corner_points(positions, indices))
    return np.cross(b - a, c - a)


def triangle_areas(positions: FloatArray, indices: IndexArray) -> DoubleArray:
    """The (m,) float64 areas in the square of the positions' unit."""
    return np.linalg.norm(area_vectors(positions, indices), axis=1) * 0.5


def signed_volume(positions: FloatArray, indices: IndexArray) -> float:
    """The volume by the divergence theorem; only meaningful for a closed mesh, negative when inside out."""
    a, b, c = (corner.astype(np.float64) for corner in corner_points(positions, indices))
    return float(np.einsum("ij,ij->i", a, np.cross(b, c)).sum() / 6.0)

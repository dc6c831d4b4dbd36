"""Faces that should not be: without area, doubled, or where nobody can see them."""

from __future__ import annotations

import numpy as np

from pruxel.core.base.arrays import AnyArray, FloatArray, IndexArray, bounds
from pruxel.core.geometry.measure import area_vectors, corner_points
from pruxel.core.geometry.sampling import sphere_directions
from pruxel.core.geometry.unique import unique_rows
from pruxel.core.native.rays import RayMesh

# A triangle whose height is below this share of its longest side has no area.
_SLIVER = 1e-7
_RAYS_AT_ONCE = 1 << 20


def without_area(positions: FloatArray, indices: IndexArray) -> AnyArray:
    """(m,) bool: triangles that are a line or a point."""
    a, b, c = corner_points(positions, indices)
    longest = np.maximum.reduce([((p - q).astype(np.float64) ** 2).sum(axis=1) for p, q in ((a, b), (b, c), (c, a))])
    return np.linalg.norm(area_vectors(positions, indices), axis=1) <= _SLIVER * longest


def doubled(corners: IndexArray, *, both_sides: bool) -> AnyArray:
    """(m,) bool: triangles (m, 3) of places that stand where one before them stands.

    One that looks the other way is another side, not a double, unless `both_sides`.
    """
    if both_sides:
        ring = np.sort(corners, axis=1)
    else:
        first = np.argmin(corners, axis=1)
        ring = corners[np.arange(len(corners))[:, None], (first[:, None] + np.arange(3)) % 3]
    firsts, _ = unique_rows(ring.astype(np.int64))
    found = np.ones(len(corners), bool)
    found[firsts] = False
    return found


def hidden(positions: FloatArray, indices: IndexArray, *, rays: int) -> AnyArray:
    """(m,) bool: triangles from which no ray reaches the open, on either side.

    From the middle of each triangle and from a point near each corner `rays` go out, spread evenly over all
    directions. What only a gap narrower than the spread would show counts as hidden.
    """
    mesh = RayMesh(positions, indices)
    low, high = bounds(positions) if len(positions) else (np.zeros(3), np.zeros(3))
    lift = np.float32(1e-4 * float((high - low).max()))
    a, b, c = corner_points(positions, indices)
    normals = area_vectors(positions, indices)
    normals = (normals / np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-300)).astype(np.float32)
    directions = sphere_directions(rays)
    left = np.arange(len(indices))
    for weights in ((1 / 3, 1 / 3, 1 / 3), (0.8, 0.1, 0.1), (0.1, 0.8, 0.1), (0.1, 0.1, 0.8)):
        if not len(left):
            break
        u, v, w = (np.float32(weight) for weight in weights)
        points = u * a[left] + v * b[left] + w * c[left]
        seen = np.zeros(len(left), bool)
        at_once = max(_RAYS_AT_ONCE // rays, 1)
        for first in range(0, len(left), at_once):
            some = slice(first, first + at_once)
            side = np.where(normals[left[some]] @ directions.T < 0, np.float32(-lift), lift)
            origins = points[some][:, None] + side[..., None] * normals[left[some]][:, None]
            aimed = np.broadcast_to(directions, origins.shape)
            stopped = mesh.blocked(origins.reshape(-1, 3), aimed.reshape(-1, 3)).reshape(len(origins), rays)
            seen[some] = ~stopped.all(axis=1)
        left = left[~seen]
    found = np.zeros(len(indices), bool)
    found[left] = True
    return found

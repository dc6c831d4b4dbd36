"""A surface made thick: a second one behind it, and a rim where it is open."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray, FloatArray, IndexArray, as_floats, as_indices, frozen
from pruxel.core.geometry.edges import BORDER, twins
from pruxel.core.geometry.measure import area_vectors
from pruxel.core.geometry.places import places

_FARTHEST = 4.0  # times the thickness that a corner is moved at most, however sharp it is
_DRAW = 1e-4  # of the weight of the faces


@dataclass(frozen=True, eq=False)
class Shell:
    """Vertices anew, each from an old one: old_of_new (n,), their places (n, 3) and which side they are of.

    `side` (n,) int8: 0 the given surface, 1 the one behind it, 2 the rim. indices (m, 3): the given triangles first,
    the same turned round, then two for each open edge.
    """

    old_of_new: AnyArray
    positions: FloatArray
    side: AnyArray
    indices: IndexArray


def _ways(positions: FloatArray, indices: IndexArray, place: AnyArray, count: int) -> DoubleArray:
    """(count, 3) which way each place goes so that the planes of all faces at it move by one metre.

    The least squares of that, weighed by area and drawn a little to the mean normal, which decides where planes agree.
    """
    areas = area_vectors(positions, indices)
    weight = np.linalg.norm(areas, axis=1)
    normals = areas / np.maximum(weight, 1e-30)[:, None]
    corners = place[indices]
    mean, planes, wanted = np.zeros((count, 3)), np.zeros((count, 3, 3)), np.zeros((count, 3))
    products = weight[:, None, None] * normals[:, :, None] * normals[:, None, :]
    for k in range(3):
        np.add.at(mean, corners[:, k], areas)
        np.add.at(planes, corners[:, k], products)
    wanted += mean
    mean /= np.maximum(np.linalg.norm(mean, axis=1, keepdims=True), 1e-30)
    total = np.maximum(np.trace(planes, axis1=1, axis2=2), 1e-30)
    draw = _DRAW * total
    planes += draw[:, None, None] * np.eye(3)
    wanted += draw[:, None] * mean
    way = np.linalg.solve(planes, wanted[:, :, None])[:, :, 0]
    length = np.linalg.norm(way, axis=1, keepdims=True)
    shorter: DoubleArray = way * np.minimum(1.0, _FARTHEST / np.maximum(length, 1e-30))
    return shorter


def thickened(positions: FloatArray, indices: IndexArray, thickness: float) -> Shell:
    """The shell of a surface, positions (n, 3) and triangles (m, 3), so many metres behind it; before it if negative.

    Vertices of one place move as one, so that seams of texture coordinates do not open.
    """
    first, place = places(positions)
    count = len(first)
    moved = positions - (_ways(positions, indices, place, count) * thickness)[place]
    n = len(positions)
    twin = twins(as_indices(place[indices]))
    open_edges = np.flatnonzero(twin == BORDER)
    face, corner = open_edges // 3, open_edges % 3
    a, b = indices[face, corner].astype(np.int64), indices[face, (corner + 1) % 3].astype(np.int64)
    # The rim has vertices of its own: its normals are others.
    rim = np.stack([a, b, b, a], axis=1).reshape(-1)
    rim_places = np.stack([positions[a], positions[b], moved[b], moved[a]], axis=1).reshape(-1, 3)
    four = 2 * n + 4 * np.arange(len(a), dtype=np.int64)[:, None]
    walls = np.concatenate([four + [1, 0, 2], four + [0, 3, 2]], axis=1).reshape(-1, 3)
    back = indices[:, ::-1].astype(np.int64) + n
    if thickness < 0:  # what lies before is the outside now
        walls, front, back = walls[:, ::-1], indices[:, ::-1].astype(np.int64), back[:, ::-1]
    else:
        front = indices.astype(np.int64)
    return Shell(
        np.concatenate([np.arange(n), np.arange(n), rim]),
        as_floats(np.concatenate([positions, moved, rim_places]), 3),
        frozen(np.repeat(np.array([0, 1, 2], np.int8), [n, n, len(rim)])),
        as_indices(np.concatenate([front, back, walls])),
    )

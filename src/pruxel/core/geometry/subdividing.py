"""Every triangle cut into four, flat or rounded by Loop's rule.

C. Loop, Smooth Subdivision Surfaces Based on Triangles, 1987; creases and borders after H. Hoppe et al., Piecewise
Smooth Surface Reconstruction, 1994.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray, FloatArray, IndexArray, as_indices
from pruxel.core.geometry.edges import twins
from pruxel.core.geometry.measure import area_vectors


@dataclass(frozen=True, eq=False)
class Halves:
    """The middles of edges: ends (e, 2) int64, the vertices at both ends; indices (4m, 3) of old ones, then these."""

    ends: AnyArray
    indices: IndexArray


def halved(indices: IndexArray, vertices: int) -> Halves:
    """Cut triangles (m, 3) in four; an edge that two of them have between the same vertices has one middle."""
    corners = indices.astype(np.int64)
    edges = np.stack([corners, np.roll(corners, -1, axis=1)], axis=2).reshape(-1, 2)
    low, high = edges.min(axis=1), edges.max(axis=1)
    keys, first, middle = np.unique(low * np.int64(vertices) + high, return_index=True, return_inverse=True)
    assert len(keys) == len(first)
    ends = np.stack([low[first], high[first]], axis=1)
    m = middle.reshape(-1, 3) + vertices
    a, b, c = corners.T
    ab, bc, ca = m.T
    four = np.stack([a, ab, ca, ab, b, bc, ca, bc, c, ab, bc, ca], axis=1).reshape(-1, 3)
    return Halves(ends, as_indices(four))


def rounded(
    points: FloatArray, corners: IndexArray, ends: AnyArray, crease_rad: float
) -> tuple[DoubleArray, DoubleArray]:
    """Loop's places for old points (n, 3) and for the middles of the edges `ends` (e, 2) of triangles (m, 3).

    Edges where faces turn by more than `crease_rad`, borders, and edges of more than two faces keep their line; a point
    where other than two of them meet stays.
    """
    n = len(points)
    p = points.astype(np.float64)
    corners = as_indices(corners)
    twin = twins(corners)
    half = np.stack([corners, np.roll(corners, -1, axis=1)], axis=2).reshape(-1, 2).astype(np.int64)
    areas = area_vectors(points, corners)
    face = areas / np.maximum(np.linalg.norm(areas, axis=1, keepdims=True), 1e-30)
    number = np.arange(len(half)) // 3
    paired = twin >= 0
    bend = np.ones(len(half))
    bend[paired] = np.einsum("ij,ij->i", face[number[paired]], face[twin[paired] // 3])
    sharp = ~paired | (bend < np.cos(crease_rad))

    key = half.min(axis=1) * np.int64(n) + half.max(axis=1)
    edge_keys, first = np.unique(key, return_index=True)
    edge_sharp = np.zeros(len(edge_keys), bool)
    np.logical_or.at(edge_sharp, np.searchsorted(edge_keys, key), sharp)
    a, b = half[first].T

    # The middles: an eighth of the points across for a smooth edge.
    opposite = corners.astype(np.int64).reshape(-1)[(np.arange(len(half)) // 3) * 3 + (np.arange(len(half)) + 2) % 3]
    across = np.zeros((len(edge_keys), 3))
    faces_at = np.zeros(len(edge_keys))
    at = np.searchsorted(edge_keys, key)
    np.add.at(across, at, p[opposite])
    np.add.at(faces_at, at, 1.0)
    middles = (p[a] + p[b]) / 2
    smooth = ~edge_sharp & (faces_at == 2)
    middles[smooth] = 0.375 * (p[a] + p[b])[smooth] + 0.125 * across[smooth]

    # The old points: by all neighbours, or along the crease that passes through.
    around, degree = np.zeros((n, 3)), np.zeros(n)
    along, creases = np.zeros((n, 3)), np.zeros(n)
    for mine, other in ((a, b), (b, a)):
        np.add.at(around, mine, p[other])
        np.add.at(degree, mine, 1.0)
        np.add.at(along, mine[edge_sharp], p[other[edge_sharp]])
        np.add.at(creases, mine[edge_sharp], 1.0)
    k = np.maximum(degree, 1.0)
    beta = (0.625 - (0.375 + 0.25 * np.cos(2 * np.pi / k)) ** 2) / k
    placed = p.copy()
    inner = (creases < 2) & (degree >= 3)
    placed[inner] = (1 - k * beta)[inner, None] * p[inner] + beta[inner, None] * around[inner]
    line = creases == 2
    placed[line] = 0.75 * p[line] + 0.125 * along[line]

    wanted = ends.min(axis=1) * np.int64(n) + ends.max(axis=1)
    return placed, middles[np.searchsorted(edge_keys, wanted)]

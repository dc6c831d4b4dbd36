"""Which faces are smooth across their edges, where a file says so by an angle."""

from __future__ import annotations

import numpy as np
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from pruxel.core.base.arrays import AnyArray, DoubleArray, starts_of


def smooth_corners(points: AnyArray, point: AnyArray, sizes: AnyArray, crease_rad: float) -> AnyArray:
    """(c,) int64: a number that corners of one point share where their faces meet smoothly.

    points (p, 3); point (c,) of each corner; sizes (f,) corners of each face, 3 or more. Faces are smooth across an
    edge where the angle between their normals is below `crease_rad`; edges of more than two faces only pair by pair.
    """
    count = len(point)
    starts = starts_of(sizes)
    face = np.repeat(np.arange(len(sizes)), sizes)
    after = np.arange(count) + 1
    after[starts + sizes - 1] = starts
    normal = face_normals(points, point, sizes)
    a, b = np.minimum(point, point[after]), np.maximum(point, point[after])
    order = np.lexsort((b, a))
    first, second = order[:-1], order[1:]
    same = (a[first] == a[second]) & (b[first] == b[second])
    cosine = (normal[face[first]] * normal[face[second]]).sum(axis=1)
    first, second = (ends[same & (cosine > np.cos(crease_rad))] for ends in (first, second))
    along = point[first] == point[second]
    other, other_after = np.where(along, second, after[second]), np.where(along, after[second], second)
    rows, columns = np.concatenate([first, after[first]]), np.concatenate([other, other_after])
    joined = coo_array((np.ones(len(rows), bool), (rows, columns)), shape=(count, count))
    _, label = connected_components(joined, directed=False)
    return label.astype(np.int64)


def face_normals(points: AnyArray, point: AnyArray, sizes: AnyArray) -> DoubleArray:
    """(f, 3) unit normals of polygons (Newell's sum); zeros where a polygon has no area."""
    starts = starts_of(sizes)
    after = np.arange(len(point)) + 1
    after[starts + sizes - 1] = starts
    origin = np.repeat(points[point[starts]], sizes, axis=0)
    turned = np.cross(points[point] - origin, points[point[after]] - origin)
    summed = np.add.reduceat(turned, starts, axis=0)
    length = np.linalg.norm(summed, axis=1, keepdims=True)
    found: DoubleArray = np.where(length > 0, summed / np.maximum(length, 1e-300), 0.0)
    return found

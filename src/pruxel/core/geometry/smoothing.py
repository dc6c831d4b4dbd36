"""Normals made anew: which corners at a place are smooth with each other, and what they add up to."""

from __future__ import annotations

from typing import Literal

import numba
import numpy as np

from pruxel.core.base.arrays import AnyArray, FloatArray, IndexArray, as_floats

Weight = Literal["angle", "area"]


@numba.njit(cache=True, nogil=True)
def _fans(corners, twin, normals, cosine, group):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Name the corners of each fan of smooth faces around a place by the first of them."""
    for first in range(len(twin)):
        if group[first] >= 0:
            continue
        group[first] = first
        # Out of the first corner over the edge that leaves it, then over the one that comes to it.
        for way in range(2):
            t = first // 3
            k = first - 3 * t
            place = corners[t, k]
            edge = first if way == 0 else 3 * t + (k + 2) % 3
            while True:
                g = twin[edge]
                if g < 0:
                    break
                u = g // 3
                dot = normals[t, 0] * normals[u, 0] + normals[t, 1] * normals[u, 1] + normals[t, 2] * normals[u, 2]
                if dot < cosine:
                    break
                j = g - 3 * u
                if corners[u, j] == place:
                    corner = g
                    edge = 3 * u + (j + 2) % 3
                else:
                    corner = 3 * u + (j + 1) % 3
                    edge = corner
                if group[corner] >= 0:
                    break
                group[corner] = first
                t = u


def smooth_groups(corners: IndexArray, twin: AnyArray, normals: FloatArray, angle_rad: float) -> AnyArray:
    """(3m,) int64: a number that corners share which are smooth with each other, for triangles (m, 3) of places.

    Faces are smooth across an edge of two where their unit normals (m, 3) differ by no more than `angle_rad`; at half
    a turn and beyond, all corners at a place are smooth.
    """
    if angle_rad >= np.pi:
        return corners.reshape(-1).astype(np.int64)
    group = np.full(corners.size, -1, np.int64)
    _fans(np.ascontiguousarray(corners), twin, normals, np.float32(np.cos(angle_rad)) - np.float32(1e-6), group)
    return group


# Of the arc tangent of 0 to 1, odd powers from the first: least squares, reweighted until no place is off by more than
# 1.7e-6.
_ARC = tuple(np.float32(c) for c in (0.99997722, -0.33262283, 0.19354037, -0.11642646, 0.05264732, -0.01171913))
_HALF, _WHOLE = np.float32(np.pi / 2), np.float32(np.pi)


@numba.njit(inline="always")
def _angle(crossed, dot):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Between two directions, radians: what their cross product's length and their dot product say."""
    run = abs(dot)
    steep = crossed > run
    larger, smaller = (crossed, run) if steep else (run, crossed)
    r = smaller / larger if larger > 0 else np.float32(0)
    s = r * r
    arc = r * (_ARC[0] + s * (_ARC[1] + s * (_ARC[2] + s * (_ARC[3] + s * (_ARC[4] + s * _ARC[5])))))
    if steep:
        arc = _HALF - arc
    return _WHOLE - arc if dot < 0 else arc


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _add(positions, indices, normals, group, by_angle, sums, out):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    for t in range(len(indices)):
        i, j, k = indices[t, 0], indices[t, 1], indices[t, 2]
        x, y, z = positions[i, 0], positions[i, 1], positions[i, 2]
        ux, uy, uz = positions[j, 0] - x, positions[j, 1] - y, positions[j, 2] - z
        vx, vy, vz = positions[k, 0] - x, positions[k, 1] - y, positions[k, 2] - z
        cx, cy, cz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        # Twice the area, whichever corner one looks from.
        crossed = np.sqrt(cx * cx + cy * cy + cz * cz)
        first = second = third = crossed
        if by_angle:
            wx, wy, wz = vx - ux, vy - uy, vz - uz
            first = _angle(crossed, ux * vx + uy * vy + uz * vz)
            second = _angle(crossed, -(ux * wx + uy * wy + uz * wz))
            third = _angle(crossed, vx * wx + vy * wy + vz * wz)
        nx, ny, nz = normals[t, 0], normals[t, 1], normals[t, 2]
        for h, weight in ((3 * t, first), (3 * t + 1, second), (3 * t + 2, third)):
            g = group[h]
            sums[g, 0] += weight * nx
            sums[g, 1] += weight * ny
            sums[g, 2] += weight * nz
    for h in range(len(group)):
        x, y, z = sums[group[h], 0], sums[group[h], 1], sums[group[h], 2]
        length = np.sqrt(x * x + y * y + z * z)
        if length > 0:
            out[h, 0], out[h, 1], out[h, 2] = x / length, y / length, z / length
        else:
            out[h, 0], out[h, 1], out[h, 2] = 0.0, 1.0, 0.0


def corner_normals(
    positions: FloatArray, indices: IndexArray, normals: FloatArray, group: AnyArray, weight: Weight
) -> FloatArray:
    """(3m, 3) unit normals of corners: the sum over their group of face normals (m, 3), by corner angle or by area.

    group (3m,) numbers below 3m. A group whose faces have no direction takes +Y.
    """
    out = np.empty((indices.size, 3), np.float32)
    _add(positions, indices, normals, group, weight == "angle", np.zeros((indices.size, 3), np.float32), out)
    return as_floats(out, 3)

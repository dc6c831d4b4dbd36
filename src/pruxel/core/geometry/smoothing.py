"""Normals made anew: which corners at a place are smooth with each other, and what they add up to."""

from __future__ import annotations

from typing import Literal

import numba
import numpy as np

from pruxel.core.base.arrays import AnyArray, FloatArray, IndexArray, as_floats
from pruxel.core.geometry.pieces import join, root_of

Weight = Literal["angle", "area"]


@numba.njit(cache=True, nogil=True)
def _group(corners, twin, normals, cosine, parent):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    for h in range(len(twin)):
        g = twin[h]
        if g < h:
            continue
        t, u = h // 3, g // 3
        dot = normals[t, 0] * normals[u, 0] + normals[t, 1] * normals[u, 1] + normals[t, 2] * normals[u, 2]
        if dot < cosine:
            continue
        after_h, after_g = 3 * t + (h + 1) % 3, 3 * u + (g + 1) % 3
        if corners[t, h % 3] == corners[u, g % 3]:
            join(parent, h, g)
            join(parent, after_h, after_g)
        else:
            join(parent, h, after_g)
            join(parent, after_h, g)
    for h in range(len(parent)):
        parent[h] = root_of(parent, h)


def smooth_groups(corners: IndexArray, twin: AnyArray, normals: FloatArray, angle_rad: float) -> AnyArray:
    """(3m,) int64: a number that corners share which are smooth with each other, for triangles (m, 3) of places.

    Faces are smooth across an edge of two where their unit normals (m, 3) differ by no more than `angle_rad`; at half
    a turn and beyond, all corners at a place are smooth.
    """
    if angle_rad >= np.pi:
        return corners.reshape(-1).astype(np.int64)
    parent = np.arange(corners.size, dtype=np.int64)
    _group(np.ascontiguousarray(corners), twin, normals, np.float32(np.cos(angle_rad)) - np.float32(1e-6), parent)
    return parent


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _add(positions, indices, normals, group, by_angle, sums, out):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    for t in range(len(indices)):
        nx, ny, nz = normals[t, 0], normals[t, 1], normals[t, 2]
        for k in range(3):
            i, j, n = indices[t, k], indices[t, (k + 1) % 3], indices[t, (k + 2) % 3]
            ux, vx = positions[j, 0] - positions[i, 0], positions[n, 0] - positions[i, 0]
            uy, vy = positions[j, 1] - positions[i, 1], positions[n, 1] - positions[i, 1]
            uz, vz = positions[j, 2] - positions[i, 2], positions[n, 2] - positions[i, 2]
            cx, cy, cz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
            crossed = np.sqrt(cx * cx + cy * cy + cz * cz)
            weight = np.arctan2(crossed, ux * vx + uy * vy + uz * vz) if by_angle else crossed
            g = group[3 * t + k]
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

"""Normals made anew: which corners at a place are smooth with each other, and what they add up to."""

from __future__ import annotations

from typing import Literal

import numba
import numpy as np

from pruxel.core.base.arrays import FloatArray, IndexArray, frozen
from pruxel.core.geometry.edges import twins
from pruxel.core.native.threads import over_ranges

Weight = Literal["angle", "area"]

# What rounding may do to a cosine.
_ROUNDED = np.float32(1e-6)
_NONE = 0xFFFFFFFF


# Of the arc tangent of 0 to 1, odd powers from the first: least squares, reweighted until no place is off by more than
# 1.7e-6.
_ARC = (0.99997722, -0.33262283, 0.19354037, -0.11642646, 0.05264732, -0.01171913)
_LEAST = 1e-300  # what is divided by is no less
_AT_ONCE = 256


@numba.njit(inline="always")
def _angle(crossed, dot):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Between two directions, radians: what their cross product's length and their dot product say."""
    run = abs(dot)
    steep = crossed > run
    r = min(crossed, run) / max(crossed, run, _LEAST)
    s = r * r
    arc = r * (_ARC[0] + s * (_ARC[1] + s * (_ARC[2] + s * (_ARC[3] + s * (_ARC[4] + s * _ARC[5])))))
    arc = np.pi / 2 - arc if steep else arc
    return np.pi - arc if dot < 0 else arc


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _shape(positions, indices, by_angle, normals, weights):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    # Some faces at once, their numbers side by side, so that several are reckoned by one instruction.
    ux, uy, uz, vx, vy, vz, nx, ny, nz, first, second, third = np.empty((12, _AT_ONCE))
    for start in range(0, len(indices), _AT_ONCE):
        count = min(_AT_ONCE, len(indices) - start)
        for n in range(count):
            i, j, k = indices[start + n, 0], indices[start + n, 1], indices[start + n, 2]
            x, y, z = np.float64(positions[i, 0]), np.float64(positions[i, 1]), np.float64(positions[i, 2])
            ux[n], uy[n], uz[n] = positions[j, 0] - x, positions[j, 1] - y, positions[j, 2] - z
            vx[n], vy[n], vz[n] = positions[k, 0] - x, positions[k, 1] - y, positions[k, 2] - z
        for n in range(count):
            x = uy[n] * vz[n] - uz[n] * vy[n]
            y = uz[n] * vx[n] - ux[n] * vz[n]
            z = ux[n] * vy[n] - uy[n] * vx[n]
            area = np.sqrt(x * x + y * y + z * z)  # doubled, whichever corner one looks from
            shorter = 1 / max(area, _LEAST)
            nx[n], ny[n], nz[n] = x * shorter, y * shorter, z * shorter
            across = ux[n] * vx[n] + uy[n] * vy[n] + uz[n] * vz[n]
            along = ux[n] * ux[n] + uy[n] * uy[n] + uz[n] * uz[n]
            one, two = _angle(area, across), _angle(area, along - across)
            first[n] = one if by_angle else area
            second[n] = two if by_angle else area
            third[n] = max(np.pi - one - two, 0.0) if by_angle else area
        for n in range(count):
            t = start + n
            normals[t, 0], normals[t, 1], normals[t, 2] = nx[n], ny[n], nz[n]
            weights[t, 0], weights[t, 1], weights[t, 2] = first[n], second[n], third[n]


def face_shapes(positions: FloatArray, indices: IndexArray, weight: Weight) -> tuple[FloatArray, FloatArray]:
    """(m, 3) float32 unit normals of triangles (m, 3), and (m, 3) what each of their corners counts.

    Normals look along the counter-clockwise side and are zeros for a triangle without area. A corner counts by its
    angle in radians, or by its face's area, doubled.
    """
    positions, indices = np.ascontiguousarray(positions), np.ascontiguousarray(indices)
    normals, weights = np.empty((len(indices), 3), np.float32), np.empty((len(indices), 3), np.float32)
    by_angle = weight == "angle"
    over_ranges(len(indices), lambda a, b: _shape(positions, indices[a:b], by_angle, normals[a:b], weights[a:b]))
    return frozen(normals), frozen(weights)


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _sum_up(group, normals, weights, sums):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    for t in range(len(group)):
        nx, ny, nz = normals[t, 0], normals[t, 1], normals[t, 2]
        for k in range(3):
            g, weight = group[t, k], weights[t, k]
            sums[g, 0] += weight * nx
            sums[g, 1] += weight * ny
            sums[g, 2] += weight * nz
    for g in range(len(sums)):
        x, y, z = sums[g, 0], sums[g, 1], sums[g, 2]
        length = np.sqrt(x * x + y * y + z * z)
        if length > 0:
            sums[g, 0], sums[g, 1], sums[g, 2] = x / length, y / length, z / length
        else:
            sums[g, 0], sums[g, 1], sums[g, 2] = 0.0, 1.0, 0.0


def group_normals(group: IndexArray, normals: FloatArray, weights: FloatArray) -> FloatArray:
    """(g, 3) unit normals of groups of corners: the sum of their face normals (m, 3), each with its weight (m, 3).

    group (m, 3) of each corner, from 0. A group whose faces have no direction takes +Y.
    """
    sums = np.zeros((int(group.max(initial=0)) + 1, 3), np.float32)
    _sum_up(np.ascontiguousarray(group), normals, weights, sums)
    return frozen(sums)


@numba.njit(cache=True, nogil=True)
def _doubt(corners, normals, together, cosine, doubtful):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Mark the places where a face turns away from the mean; one without area says nothing."""
    for t in range(len(corners)):
        nx, ny, nz = normals[t, 0], normals[t, 1], normals[t, 2]
        if nx == 0 and ny == 0 and nz == 0:
            continue
        for k in range(3):
            p = corners[t, k]
            if not nx * together[p, 0] + ny * together[p, 1] + nz * together[p, 2] >= cosine:
                doubtful[p] = True


@numba.njit(cache=True, nogil=True)
def _unsure(corners, doubtful, group, faces):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Give corners their place's number, or none where it is doubtful; returns the faces that have such corners."""
    count = 0
    for t in range(len(corners)):
        found = False
        for k in range(3):
            p = corners[t, k]
            group[t, k] = np.uint32(_NONE) if doubtful[p] else p
            found |= doubtful[p]
        faces[count] = t
        count += found
    return faces[:count]


@numba.njit(cache=True, nogil=True)
def _fans(corners, twin, normals, cosine, count, group):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Number the corners that have no number by fans of smooth faces around a place, in the order of their first."""
    none = np.uint32(_NONE)
    for first in range(len(twin)):
        if group[first] != none:
            continue
        group[first] = count
        start = first // 3
        k = first - 3 * start
        place = corners[start, k]
        # Out of the first corner over the edge that leaves it, then over the one that comes to it.
        for way in range(2):
            t = start
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
                if group[corner] != none:
                    break
                group[corner] = count
                t = u
        count += np.uint32(1)


def smoothed(
    corners: IndexArray, normals: FloatArray, weights: FloatArray, angle_rad: float
) -> tuple[IndexArray, FloatArray]:
    """(m, 3) uint32 a number that corners share which are smooth with each other, and the (g, 3) normals of these.

    For triangles (m, 3) of places, with unit normals (m, 3) and corners' weights (m, 3). Faces are smooth across an
    edge of two where their normals differ by no more than `angle_rad`. All corners at a place are smooth where no face
    turns away from the mean of all by more than half of that, however they hang together; at half a turn, everywhere.
    """
    together = group_normals(corners, normals, weights)
    if angle_rad >= np.pi:
        return corners, together
    # Only at few places faces are to be gone through one after the other, which is what takes the time.
    doubtful = np.zeros(len(together), bool)
    surely = np.float32(np.cos(angle_rad / 2)) + _ROUNDED
    over_ranges(len(corners), lambda a, b: _doubt(corners[a:b], normals[a:b], together, surely, doubtful))
    if not doubtful.any():
        return corners, together
    group = np.empty_like(corners)
    faces = _unsure(corners, doubtful, group, np.empty(len(corners), np.uint32))
    some, own = np.ascontiguousarray(corners[faces]), group[faces].reshape(-1)
    cosine = np.float32(np.cos(angle_rad)) - _ROUNDED
    _fans(some, twins(some), normals[faces], cosine, np.uint32(len(together)), own)
    group[faces] = own.reshape(-1, 3)
    return frozen(group), group_normals(group, normals, weights)

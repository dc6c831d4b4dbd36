"""How far a point lies from the planes that met at a place: sums of squared distances, each plane with a weight.

After Garland and Heckbert, "Surface Simplification Using Quadric Error Metrics" (1997). A row holds xx, yy, zz, xy, xz,
yz, x, y, z, 1 and the sum of the weights.
"""

from __future__ import annotations

import numba
import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray

# What an open edge and a seam weigh beside the faces.
_BORDER_WEIGHT, _SEAM_WEIGHT = 10.0, 1.0
INSIDE, OPEN, SEAM = 0, 1, 2


@numba.njit(cache=True, nogil=True)
def add_plane(row, nx, ny, nz, d, weight):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN201
    """Add the plane n·x + d = 0 of unit normal n."""
    row[0] += weight * nx * nx
    row[1] += weight * ny * ny
    row[2] += weight * nz * nz
    row[3] += weight * nx * ny
    row[4] += weight * nx * nz
    row[5] += weight * ny * nz
    row[6] += weight * nx * d
    row[7] += weight * ny * d
    row[8] += weight * nz * d
    row[9] += weight * d * d
    row[10] += weight


@numba.njit(cache=True, nogil=True)
def squared_distance(row, x, y, z):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN201
    """The mean squared distance of a point from the planes of a row."""
    if row[10] <= 0:
        return 0.0
    squares = row[0] * x * x + row[1] * y * y + row[2] * z * z
    crossed = row[3] * x * y + row[4] * x * z + row[5] * y * z
    return abs(squares + 2 * (crossed + row[6] * x + row[7] * y + row[8] * z) + row[9]) / row[10]


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _sum_up(points, faces, edge_kind, rows):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    for t in range(len(faces)):
        a, b, c = faces[t, 0], faces[t, 1], faces[t, 2]
        ux, uy, uz = points[b, 0] - points[a, 0], points[b, 1] - points[a, 1], points[b, 2] - points[a, 2]
        vx, vy, vz = points[c, 0] - points[a, 0], points[c, 1] - points[a, 1], points[c, 2] - points[a, 2]
        nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        area = np.sqrt(nx * nx + ny * ny + nz * nz)
        if not area > 0:
            continue
        nx, ny, nz = nx / area, ny / area, nz / area
        d = -(nx * points[a, 0] + ny * points[a, 1] + nz * points[a, 2])
        for k in range(3):
            add_plane(rows[faces[t, k]], nx, ny, nz, d, area)
            kind = edge_kind[3 * t + k]
            if kind == INSIDE:
                continue
            # An edge that is to stay: the plane through it, square to the face.
            p, q = faces[t, k], faces[t, (k + 1) % 3]
            ex, ey, ez = points[q, 0] - points[p, 0], points[q, 1] - points[p, 1], points[q, 2] - points[p, 2]
            length = np.sqrt(ex * ex + ey * ey + ez * ez)
            if not length > 0:
                continue
            wx, wy, wz = ey * nz - ez * ny, ez * nx - ex * nz, ex * ny - ey * nx
            wx, wy, wz = wx / length, wy / length, wz / length
            across = -(wx * points[p, 0] + wy * points[p, 1] + wz * points[p, 2])
            weight = length * length * (_BORDER_WEIGHT if kind == OPEN else _SEAM_WEIGHT)
            add_plane(rows[p], wx, wy, wz, across, weight)
            add_plane(rows[q], wx, wy, wz, across, weight)


def quadrics(points: DoubleArray, faces: AnyArray, edge_kind: AnyArray) -> DoubleArray:
    """(p, 11) the quadric of each place, for triangles (m, 3) int64 of places (p, 3); edge_kind (3m,) of half-edges."""
    rows = np.zeros((len(points), 11))
    _sum_up(points, faces, edge_kind, rows)
    return rows

"""Polygons → triangles."""

from __future__ import annotations

import numba
import numpy as np

from pruxel.core.base.arrays import AnyArray, FloatArray


@numba.njit(cache=True, nogil=True)
def _plane(points, vertex_of_corner, first, count, flat):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Project a polygon onto its plane (Newell's normal, largest axis dropped), counter-clockwise; fills flat."""
    n = np.zeros(3)
    for i in range(count):
        p = points[vertex_of_corner[first + i]]
        q = points[vertex_of_corner[first + (i + 1) % count]]
        n[0] += (np.float64(p[1]) - q[1]) * (np.float64(p[2]) + q[2])
        n[1] += (np.float64(p[2]) - q[2]) * (np.float64(p[0]) + q[0])
        n[2] += (np.float64(p[0]) - q[0]) * (np.float64(p[1]) + q[1])
    k = 0
    if abs(n[1]) > abs(n[k]):
        k = 1
    if abs(n[2]) > abs(n[k]):
        k = 2
    a, b = (k + 1) % 3, (k + 2) % 3
    if n[k] < 0:
        a, b = b, a
    for i in range(count):
        p = points[vertex_of_corner[first + i]]
        flat[i, 0] = p[a]
        flat[i, 1] = p[b]


@numba.njit(cache=True, nogil=True)
def _turn(flat, i, j, k):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    return (flat[j, 0] - flat[i, 0]) * (flat[k, 1] - flat[i, 1]) - (flat[j, 1] - flat[i, 1]) * (flat[k, 0] - flat[i, 0])


@numba.njit(cache=True, nogil=True)
def _is_ear(flat, ring, size, at):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    i, j, k = ring[at - 1 if at else size - 1], ring[at], ring[at + 1 if at + 1 < size else 0]
    if _turn(flat, i, j, k) <= 0:
        return False
    for m in range(size):
        p = ring[m]
        if p in (i, j, k):
            continue
        if _turn(flat, i, j, p) >= 0 and _turn(flat, j, k, p) >= 0 and _turn(flat, k, i, p) >= 0:
            return False
    return True


@numba.njit(cache=True, nogil=True)
def _clip(points, vertex_of_corner, faces, out, face_of):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Triangles of every face; triangles pass straight through, others lose an ear at a time."""
    flat = np.empty((64, 2), np.float64)
    ring = np.empty(64, np.int64)
    at = 0
    for f in range(len(faces)):
        first, count = faces[f, 0], faces[f, 1]
        if count == 3:
            out[at, 0], out[at, 1], out[at, 2] = first, first + 1, first + 2
            face_of[at] = f
            at += 1
            continue
        _plane(points, vertex_of_corner, first, count, flat)
        for i in range(count):
            ring[i] = i
        size = count
        while size >= 3:
            ear = -1
            for i in range(size):
                if _is_ear(flat, ring, size, i):
                    ear = i
                    break
            if ear < 0:
                ear = 1
            out[at, 0] = first + ring[ear - 1 if ear else size - 1]
            out[at, 1] = first + ring[ear]
            out[at, 2] = first + ring[ear + 1 if ear + 1 < size else 0]
            face_of[at] = f
            at += 1
            for i in range(ear, size - 1):
                ring[i] = ring[i + 1]
            size -= 1
            if size == 2:
                break
    return at


def triangulate(points: FloatArray, vertex_of_corner: AnyArray, faces: AnyArray) -> tuple[AnyArray, AnyArray]:
    """Cut polygons of 3 to 64 corners into triangles by ear clipping (Meisters 1975).

    points (n, 3); vertex_of_corner (c,); faces (f, 2) first corner and corner count. Returns (m, 3) corner numbers and
    the (m,) face of each triangle. A polygon with no ear (folded over itself) is cut as a fan.
    """
    total = int((faces[:, 1] - 2).sum())
    out, face_of = np.empty((total, 3), np.int64), np.empty(total, np.int64)
    _clip(points, np.ascontiguousarray(vertex_of_corner), np.ascontiguousarray(faces), out, face_of)
    return out, face_of

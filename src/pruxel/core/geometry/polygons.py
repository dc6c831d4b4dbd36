"""Polygons → triangles, and back to their outlines."""

from __future__ import annotations

import numba
import numpy as np

from pruxel.core.base.arrays import (
    AnyArray,
    FloatArray,
    IndexArray,
    as_indices,
    frozen,
    places_within,
    starts_of,
)


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
def _clip(points, vertex_of_corner, faces, most, out, face_of):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Triangles of every face; triangles pass straight through, others lose an ear at a time. Returns how many fans."""
    largest = 4
    for f in range(len(faces)):
        largest = max(largest, min(faces[f, 1], most))
    flat = np.empty((largest, 2), np.float64)
    ring = np.empty(largest, np.int64)
    at, fans = 0, 0
    for f in range(len(faces)):
        first, count = faces[f, 0], faces[f, 1]
        if count == 3:
            out[at, 0], out[at, 1], out[at, 2] = first, first + 1, first + 2
            face_of[at] = f
            at += 1
            continue
        if count > most:
            for i in range(1, count - 1):
                out[at, 0], out[at, 1], out[at, 2] = first, first + i, first + i + 1
                face_of[at] = f
                at += 1
            fans += 1
            continue
        _plane(points, vertex_of_corner, first, count, flat)
        for i in range(count):
            ring[i] = i
        size = count
        begin = 0
        while size >= 3:
            ear = 1
            for i in range(size):
                candidate = (begin + i) % size
                if _is_ear(flat, ring, size, candidate):
                    ear = candidate
                    break
            out[at, 0] = first + ring[ear - 1 if ear else size - 1]
            out[at, 1] = first + ring[ear]
            out[at, 2] = first + ring[ear + 1 if ear + 1 < size else 0]
            face_of[at] = f
            at += 1
            for i in range(ear, size - 1):
                ring[i] = ring[i + 1]
            size -= 1
            # The next search goes on behind the ear: a convex outline is then cut all around, without slivers.
            begin = ear
            if size == 2:
                break
    return fans


def triangulate(
    points: FloatArray, vertex_of_corner: AnyArray, faces: AnyArray, most: int = 4096
) -> tuple[AnyArray, AnyArray, int]:
    """Cut polygons into triangles by ear clipping (Meisters 1975).

    points (n, 3); vertex_of_corner (c,); faces (f, 2) first corner and corner count, 3 or more. Returns (m, 3) corner
    numbers, each triangle (before, ear, after); the (m,) face of each; and how many polygons were cut as a fan because
    they have more than `most` corners. A polygon with no ear (folded over itself) loses its second corner each time.
    """
    total = int((faces[:, 1] - 2).sum())
    out, face_of = np.empty((total, 3), np.int64), np.empty(total, np.int64)
    fans = _clip(points, np.ascontiguousarray(vertex_of_corner), np.ascontiguousarray(faces), most, out, face_of)
    return out, face_of, int(fans)


def cut_outlines(
    points: FloatArray, vertex_of_corner: AnyArray, sizes: AnyArray
) -> tuple[IndexArray, IndexArray | None]:
    """Polygons that follow each other → triangles (m, 3), and the corners of each face; None for triangles only.

    points (n, 3); vertex_of_corner (c,); sizes (f,) how many corners each polygon has, 3 or more.
    """
    outlines = face_sizes(sizes)
    if outlines is None:
        return as_indices(vertex_of_corner), None
    triangles, _, _ = triangulate(
        points, vertex_of_corner, np.stack([starts_of(sizes), sizes], axis=1).astype(np.int64)
    )
    return as_indices(vertex_of_corner[triangles]), outlines


def face_sizes(sizes: AnyArray) -> IndexArray | None:
    """How many corners each polygon has, as primitives keep it: None when all are triangles."""
    return None if bool((sizes == 3).all()) else frozen(sizes.astype(np.uint32))


@numba.njit(cache=True, nogil=True)
def _rings(indices, sizes, out):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Put ears back, last cut first: each between its two neighbours."""
    at, triangle = 0, 0
    for f in range(len(sizes)):
        size = sizes[f]
        last = triangle + size - 3
        for k in range(3):
            out[at + k] = indices[last, k]
        have = 3
        for t in range(last - 1, triangle - 1, -1):
            before, ear, after = indices[t, 0], indices[t, 1], indices[t, 2]
            place = have
            for k in range(have):
                if out[at + k] == before and out[at + (k + 1) % have] == after:
                    place = k + 1
                    break
            for k in range(have, place, -1):
                out[at + k] = out[at + k - 1]
            out[at + place] = ear
            have += 1
        at += size
        triangle += size - 2


def outlines(indices: IndexArray, face_sizes: IndexArray) -> IndexArray:
    """The corners of polygons, one after the other, from the (m, 3) triangles that `triangulate` cut them into.

    face_sizes (f,): corners of each polygon. Returns (sum of sizes,) uint32 vertex numbers; an outline may begin at
    another corner than the one it was cut from. Turned triangles give turned outlines.
    """
    out = np.empty(int(face_sizes.sum(dtype=np.int64)), np.uint32)
    _rings(np.ascontiguousarray(indices), np.ascontiguousarray(face_sizes).astype(np.int64), out)
    return out


@numba.njit(cache=True, nogil=True)
def _convex(points, corners, starts, sizes, out):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    largest = 3
    for f in range(len(sizes)):
        largest = max(largest, sizes[f])
    flat = np.empty((largest, 2), np.float64)
    for f in range(len(sizes)):
        count = sizes[f]
        out[f] = True
        if count == 3:
            continue
        _plane(points, corners, starts[f], count, flat)
        turned = 0.0
        for i in range(count):
            j, k = (i + 1) % count, (i + 2) % count
            turn = _turn(flat, i, j, k)
            if turn < 0:
                out[f] = False
                break
            # The angle turned; an outline that winds twice around is no simple one.
            along = (flat[j, 0] - flat[i, 0]) * (flat[k, 0] - flat[j, 0])
            along += (flat[j, 1] - flat[i, 1]) * (flat[k, 1] - flat[j, 1])
            turned += np.arctan2(turn, along)
        if turned > 7.0:
            out[f] = False


def convex_faces(points: FloatArray, corners: IndexArray, sizes: IndexArray) -> AnyArray:
    """Which polygons any reader cuts rightly: (f,) bool, true where the outline turns one way only, once around.

    points (n, 3); corners: the outlines one after the other; sizes (f,): corners of each.
    """
    starts = starts_of(sizes)
    out = np.empty(len(sizes), np.bool_)
    _convex(points, np.ascontiguousarray(corners).astype(np.int64), starts, sizes.astype(np.int64), out)
    return out


def fans(corners: IndexArray, sizes: IndexArray) -> IndexArray:
    """The (m, 3) triangles of convex polygons, all from each one's first corner: what simple readers make of them."""
    sizes = sizes.astype(np.int64)
    starts, step = np.repeat(starts_of(sizes), sizes - 2), places_within(sizes - 2)
    picked = np.stack([corners[starts], corners[starts + step + 1], corners[starts + step + 2]], axis=1)
    return np.ascontiguousarray(picked, np.uint32)

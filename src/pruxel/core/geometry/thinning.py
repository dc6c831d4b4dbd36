"""Fewer triangles for the same shape: edges are collapsed onto one of their ends, those first that change least.

No vertex moves and none is made: what is left are some of the vertices, with all that they carry. Open edges and seams
(where vertices at a place differ) are only shortened along themselves.
"""

from __future__ import annotations

from dataclasses import dataclass

import numba
import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray, FloatArray, IndexArray
from pruxel.core.geometry.edges import CROWDED, NO_LENGTH, twins
from pruxel.core.geometry.quadrics import INSIDE, OPEN, SEAM, quadrics, squared_distance

_FREE, _ON_BORDER, _ON_SEAM, _FIXED = 0, 1, 2, 3
# In one pass nothing is done that costs more than this many times what reaching the goal would.
_REACH = 1.5
_MOST_AROUND = 64
_MOST_PASSES = 200


@dataclass(frozen=True, eq=False)
class Thinned:
    """Which triangles are left, (k,) of old numbers, their corners (k, 3) in old vertices, and the largest error."""

    faces: AnyArray
    indices: IndexArray
    error: float


@numba.njit(cache=True, nogil=True)
def _edge_kinds(faces, vertices, twin, out):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Inside, open (or of more than two faces), or a seam: the vertices on its two sides differ."""
    for h in range(len(twin)):
        g = twin[h]
        if g < 0:
            out[h] = INSIDE if g == NO_LENGTH else OPEN
            continue
        t, u = h // 3, g // 3
        here, there = vertices[t, h % 3], vertices[t, (h + 1) % 3]
        first, second = vertices[u, g % 3], vertices[u, (g + 1) % 3]
        if faces[t, h % 3] == faces[u, g % 3]:
            first, second = second, first
        out[h] = INSIDE if here == second and there == first else SEAM


@numba.njit(cache=True, nogil=True)
def _place_kinds(faces, twin, edge_kind, opens, seams, out):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    for h in range(len(twin)):
        t, k = h // 3, h % 3
        a, b = faces[t, k], faces[t, (k + 1) % 3]
        if twin[h] == CROWDED:
            out[a] = out[b] = _FIXED
        elif edge_kind[h] == OPEN:
            opens[a] += 1
            opens[b] += 1
        elif edge_kind[h] == SEAM and twin[h] > h:
            seams[a] += 1
            seams[b] += 1
    for p in range(len(out)):
        if out[p] == _FIXED or (opens[p] == 0 and seams[p] == 0):
            continue
        if opens[p] == 2 and seams[p] == 0:
            out[p] = _ON_BORDER
        elif seams[p] == 2 and opens[p] == 0:
            out[p] = _ON_SEAM
        else:
            out[p] = _FIXED


@numba.njit(cache=True, nogil=True)
def _around(faces, starts, listed):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """The faces at each place: listed[starts[p]:starts[p + 1]]."""
    for t in range(len(faces)):
        for k in range(3):
            starts[faces[t, k] + 2] += 1
    for p in range(2, len(starts)):
        starts[p] += starts[p - 1]
    for t in range(len(faces)):
        for k in range(3):
            p = faces[t, k] + 1
            listed[starts[p]] = t
            starts[p] += 1


@numba.njit(cache=True, nogil=True)
def _costs(points, faces, twin, edge_kind, kinds, rows, cost, ways):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """What it costs to bring one end of each edge to the other, the cheaper way; infinite where that may not be."""
    for h in range(len(edge_kind)):
        t, k = h // 3, h % 3
        a, b = faces[t, k], faces[t, (k + 1) % 3]
        cost[h] = np.inf
        if 0 <= twin[h] < h:
            continue  # of the two halves of an edge one is asked
        for way in range(2):
            start, end = (a, b) if way == 0 else (b, a)
            kind = kinds[start]
            # Along the open edge or the seam that it is on, to a place that is on it too.
            along = (kind == _ON_BORDER and edge_kind[h] == OPEN) or (kind == _ON_SEAM and edge_kind[h] == SEAM)
            if kind == _FREE or (along and (kinds[end] == kind or kinds[end] == _FIXED)):
                found = squared_distance(rows[start], points[end, 0], points[end, 1], points[end, 2])
                if found < cost[h]:
                    cost[h], ways[h] = found, way


@numba.njit(cache=True, nogil=True)
def _turns_over(points, faces, target, starts, listed, a, b):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Whether a face at a would look away, or nearly, with a at b."""
    for at in range(starts[a], starts[a + 1]):
        t = listed[at]
        i, j, k = target[faces[t, 0]], target[faces[t, 1]], target[faces[t, 2]]
        if i == j or j == k or k == i or b in (i, j, k):  # noqa: PLR1714 - faces that are gone, or go
            continue
        if j == a:
            i, j, k = j, k, i
        elif k == a:
            i, j, k = k, i, j
        ux, uy, uz = points[j, 0] - points[i, 0], points[j, 1] - points[i, 1], points[j, 2] - points[i, 2]
        vx, vy, vz = points[k, 0] - points[i, 0], points[k, 1] - points[i, 1], points[k, 2] - points[i, 2]
        px, py, pz = points[j, 0] - points[b, 0], points[j, 1] - points[b, 1], points[j, 2] - points[b, 2]
        qx, qy, qz = points[k, 0] - points[b, 0], points[k, 1] - points[b, 1], points[k, 2] - points[b, 2]
        nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        mx, my, mz = py * qz - pz * qy, pz * qx - px * qz, px * qy - py * qx
        dot = nx * mx + ny * my + nz * mz
        if dot <= 0.25 * np.sqrt((nx * nx + ny * ny + nz * nz) * (mx * mx + my * my + mz * mz)):
            return True
    return False


@numba.njit(cache=True, nogil=True)
def _shared(faces, target, starts, listed, a, b, seen):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """How many places neighbour both: more than faces at the edge, and the surface would touch itself."""
    count = 0
    for at in range(starts[a], starts[a + 1]):
        for k in range(3):
            p = target[faces[listed[at], k]]
            if p in (a, b):
                continue
            known = False
            for n in range(count):
                if seen[n] == p:
                    known = True
                    break
            if not known:
                if count == len(seen):
                    return len(seen)
                seen[count] = p
                count += 1
    both = 0
    for at in range(starts[b], starts[b + 1]):
        for k in range(3):
            p = target[faces[listed[at], k]]
            for n in range(count):
                if seen[n] == p:
                    both += 1
                    seen[n] = -1
                    break
    return both


@numba.njit(cache=True, nogil=True)
def _vertex_after(faces, vertices, starts, listed, twin, h, a, old, new):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Fill in which vertex at b each vertex at a becomes, by the faces at the edge; returns how many, 0 for none."""
    count = 0
    for side in range(2):
        g = h if side == 0 else twin[h]
        if g < 0:
            continue
        t, k = g // 3, g % 3
        n = (k + 1) % 3
        va, vb = (vertices[t, k], vertices[t, n]) if faces[t, k] == a else (vertices[t, n], vertices[t, k])
        if count and old[0] == va:
            if new[0] != vb:
                return 0
            continue
        old[count], new[count] = va, vb
        count += 1
    for at in range(starts[a], starts[a + 1]):
        t = listed[at]
        for k in range(3):
            if faces[t, k] == a and vertices[t, k] != old[0] and (count < 2 or vertices[t, k] != old[1]):
                return 0
    return count


@numba.njit(cache=True, nogil=True)
def _collapse(points, faces, vertices, twin, cost, ways, order, most, starts, listed, target, heir, rows):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Collapse what may be, cheapest first, each place once in a pass; returns faces gone and the largest cost."""
    busy = np.zeros(len(points), np.bool_)
    seen = np.empty(_MOST_AROUND, np.int64)
    old, new = np.empty(2, np.int64), np.empty(2, np.int64)
    gone, worst = 0, 0.0
    for n in range(len(order)):
        h = order[n]
        if gone >= most:
            break
        t, k = h // 3, h % 3
        a, b = faces[t, k], faces[t, (k + 1) % 3]
        if ways[h]:
            a, b = b, a
        if busy[a] or busy[b]:
            continue
        count = _vertex_after(faces, vertices, starts, listed, twin, h, a, old, new)
        sides = 1 if twin[h] < 0 else 2
        if count == 0 or _shared(faces, target, starts, listed, a, b, seen) > sides:
            continue
        if _turns_over(points, faces, target, starts, listed, a, b):
            continue
        for one in range(count):
            heir[old[one]] = new[one]
        target[a] = b
        busy[a] = busy[b] = True
        for k in range(11):
            rows[b, k] += rows[a, k]
        gone += sides
        worst = max(worst, cost[h])
    return gone, worst


def thinned(positions: FloatArray, place: IndexArray, indices: IndexArray, goal: int, most_error: float) -> Thinned:
    """Collapse edges until no more than `goal` triangles are left, or the next would move the surface too far.

    positions (p, 3) of the places, in metres; place (n,) of each vertex; indices (m, 3) vertices. `most_error` bounds
    the distance, in metres, of a collapsed place from the planes it stands for (the root of their weighted mean).
    """
    points = np.ascontiguousarray(positions, np.float64)
    left, vertices = np.arange(len(indices)), indices.astype(np.int64)
    worst, rows = 0.0, None
    for _ in range(_MOST_PASSES):
        faces = place[vertices].astype(np.int64)
        whole = (faces[:, 0] != faces[:, 1]) & (faces[:, 1] != faces[:, 2]) & (faces[:, 2] != faces[:, 0])
        left, vertices, faces = left[whole], vertices[whole], np.ascontiguousarray(faces[whole])
        if len(faces) <= goal:
            break
        twin = twins(faces.astype(np.uint32))
        edge_kind = np.empty(len(twin), np.int8)
        _edge_kinds(faces, vertices, twin, edge_kind)
        kinds = np.zeros(len(points), np.int8)
        _place_kinds(faces, twin, edge_kind, np.zeros(len(points), np.int32), np.zeros(len(points), np.int32), kinds)
        if rows is None:
            rows = quadrics(points, faces, edge_kind)
        done = _pass(points, faces, vertices, twin, edge_kind, kinds, rows, len(faces) - goal, most_error)
        if done is None:
            break
        vertices, worst = done[0], max(worst, done[1])
    return Thinned(left, vertices.astype(np.uint32), float(np.sqrt(worst)))


def _pass(
    points: DoubleArray,
    faces: AnyArray,
    vertices: AnyArray,
    twin: AnyArray,
    edge_kind: AnyArray,
    kinds: AnyArray,
    rows: DoubleArray,
    most: int,
    most_error: float,
) -> tuple[AnyArray, float] | None:
    """One pass over all edges: the faces' new vertices and the largest cost; None when nothing could be collapsed."""
    cost, ways = np.empty(len(twin)), np.zeros(len(twin), np.int8)
    _costs(points, faces, twin, edge_kind, kinds, rows, cost, ways)
    edges = np.flatnonzero(cost <= most_error * most_error)
    if not len(edges):
        return None
    order = _cheapest(cost[edges], edges, most // 2)
    starts, listed = np.zeros(len(points) + 2, np.int64), np.empty(faces.size, np.int64)
    _around(faces, starts, listed)
    target, heir = np.arange(len(points)), np.arange(int(vertices.max()) + 1)
    gone, worst = _collapse(points, faces, vertices, twin, cost, ways, order, most, starts, listed, target, heir, rows)
    return (heir[vertices], float(worst)) if gone else None


def _cheapest(cost: DoubleArray, edges: AnyArray, wanted: int) -> AnyArray:
    """Edges (e,) by their cost, those that cost not much more than the `wanted` cheapest; of equal ones the first.

    Costs and numbers are sorted as one whole number each, which is several times as fast as sorting places by costs.
    """
    keys = (cost.astype(np.float32).view(np.uint32).astype(np.uint64) << np.uint64(32)) | edges.astype(np.uint64)
    if wanted < len(keys) - 1:
        last = np.partition(keys, wanted)[wanted] >> np.uint64(32)
        limit = np.array([last], np.uint32).view(np.float32) * np.float32(_REACH)
        keys = keys[keys <= ((limit.view(np.uint32).astype(np.uint64) + np.uint64(1)) << np.uint64(32))[0]]
    return (np.sort(keys) & np.uint64(0xFFFFFFFF)).astype(np.int64)

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
from pruxel.core.native.threads import over_ranges

_FREE, _ON_BORDER, _ON_SEAM, _FIXED = 0, 1, 2, 3
# The bits of a cost that say nothing of its step, and how many steps further than the goal needs one pass goes.
_STEP_BITS, _REACH = 22, 1
_LARGEST = np.float32(np.finfo(np.float32).max)
# Faces at a place that goes, and at one that another comes to: hubs with more are left as they are.
_MOST_AROUND, _MOST_AT_END = 64, 4096
_LEAST_COSINE = 0.25  # between what a face was and what it becomes
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
    for t in range(len(faces)):
        for k in range(3):
            h = 3 * t + k
            g = twin[h]
            if g < 0:
                out[h] = INSIDE if g == NO_LENGTH else OPEN
                continue
            if g < h:
                out[h] = out[g]
                continue
            n = 0 if k == 2 else k + 1
            u = g // 3
            j = g - 3 * u
            m = 0 if j == 2 else j + 1
            first, second = vertices[u, j], vertices[u, m]
            if faces[t, k] == faces[u, j]:
                first, second = second, first
            out[h] = INSIDE if vertices[t, k] == second and vertices[t, n] == first else SEAM


@numba.njit(cache=True, nogil=True)
def _place_kinds(faces, twin, edge_kind, opens, seams, out):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    for t in range(len(faces)):
        for k in range(3):
            h = 3 * t + k
            if edge_kind[h] == INSIDE:
                continue
            a, b = faces[t, k], faces[t, 0 if k == 2 else k + 1]
            if twin[h] == CROWDED:
                out[a] = out[b] = _FIXED
            elif edge_kind[h] == OPEN:
                opens[a] += 1
                opens[b] += 1
            elif twin[h] > h:
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
def _costs(points, faces, start, stop, twin, edge_kind, kinds, rows, most, cost, ways):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """What it costs to bring one end of each edge to the other, the cheaper way; infinite where that may not be."""
    for t in range(start, stop):
        for k in range(3):
            h = 3 * t + k
            cost[h] = np.inf
            if 0 <= twin[h] < h:
                continue  # of the two halves of an edge one is asked
            a, b = faces[t, k], faces[t, 0 if k == 2 else k + 1]
            for way in range(2):
                old, new = (a, b) if way == 0 else (b, a)
                kind = kinds[old]
                # Along the open edge or the seam that it is on, to a place that is on it too.
                along = (kind == _ON_BORDER and edge_kind[h] == OPEN) or (kind == _ON_SEAM and edge_kind[h] == SEAM)
                if kind == _FREE or (along and (kinds[new] == kind or kinds[new] == _FIXED)):
                    found = squared_distance(rows[old], points[new, 0], points[new, 1], points[new, 2])
                    if found <= most and found < cost[h]:
                        cost[h], ways[h] = found, way


@numba.njit(cache=True, nogil=True)
def _ring(faces, target, starts, listed, a, ring):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Fill in the two other places of each face at a that is left, in its order; returns how many, or -1: too many."""
    count = 0
    for at in range(starts[a], starts[a + 1]):
        t = listed[at]
        i, j, k = target[faces[t, 0]], target[faces[t, 1]], target[faces[t, 2]]
        if i == j or k in (i, j):
            continue
        if count == len(ring):
            return -1
        if i == a:
            ring[count, 0], ring[count, 1] = j, k
        elif j == a:
            ring[count, 0], ring[count, 1] = k, i
        else:
            ring[count, 0], ring[count, 1] = i, j
        count += 1
    return count


@numba.njit(cache=True, nogil=True)
def _turns_over(points, ring, a, b):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Whether a face at a would look away, or nearly, with a at b."""
    ax, ay, az = points[a, 0], points[a, 1], points[a, 2]
    bx, by, bz = points[b, 0], points[b, 1], points[b, 2]
    for n in range(len(ring)):
        j, k = ring[n, 0], ring[n, 1]
        if b in (j, k):
            continue  # one that goes
        x, y, z = points[j, 0], points[j, 1], points[j, 2]
        ex, ey, ez = points[k, 0] - x, points[k, 1] - y, points[k, 2] - z
        ux, uy, uz = x - ax, y - ay, z - az
        vx, vy, vz = x - bx, y - by, z - bz
        nx, ny, nz = uy * ez - uz * ey, uz * ex - ux * ez, ux * ey - uy * ex
        mx, my, mz = vy * ez - vz * ey, vz * ex - vx * ez, vx * ey - vy * ex
        dot = nx * mx + ny * my + nz * mz
        square = (nx * nx + ny * ny + nz * nz) * (mx * mx + my * my + mz * mz)
        if dot <= 0 or dot * dot <= _LEAST_COSINE * _LEAST_COSINE * square:
            return True
    return False


@numba.njit(cache=True, nogil=True)
def _shared(faces, target, starts, listed, ring, b, seen):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """How many places neighbour both: more than faces at the edge, and the surface would touch itself."""
    for n in range(len(ring)):
        seen[ring[n, 0]] = seen[ring[n, 1]] = True
    seen[b] = False
    both = 0
    for at in range(starts[b], starts[b + 1]):
        for k in range(3):
            p = target[faces[listed[at], k]]
            if seen[p]:
                both += 1
                seen[p] = False
    for n in range(len(ring)):
        seen[ring[n, 0]] = seen[ring[n, 1]] = False
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
    seen = np.zeros(len(points), np.bool_)
    room = np.empty((_MOST_AROUND, 2), np.int32)
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
        if count == 0 or starts[b + 1] - starts[b] > _MOST_AT_END:
            continue
        around = _ring(faces, target, starts, listed, a, room)
        if around < 0 or _turns_over(points, room[:around], a, b):
            continue
        if _shared(faces, target, starts, listed, room[:around], b, seen) > sides:
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


@numba.njit(cache=True, nogil=True)
def _go_on(heir, place, vertices, left, faces):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Put heirs into the place of vertices and leave out the faces that have none of their area left; how many stay."""
    count = 0
    for t in range(len(vertices)):
        i, j, k = heir[vertices[t, 0]], heir[vertices[t, 1]], heir[vertices[t, 2]]
        a, b, c = place[i], place[j], place[k]
        if a in (b, c) or b == c:
            continue
        vertices[count, 0], vertices[count, 1], vertices[count, 2] = i, j, k
        faces[count, 0], faces[count, 1], faces[count, 2] = a, b, c
        left[count] = left[t]
        count += 1
    return count


def thinned(positions: FloatArray, place: IndexArray, indices: IndexArray, goal: int, most_error: float) -> Thinned:
    """Collapse edges until no more than `goal` triangles are left, or the next would move the surface too far.

    positions (p, 3) of the places, in metres; place (n,) of each vertex; indices (m, 3) vertices. `most_error` bounds
    the distance, in metres, of a collapsed place from the planes it stands for (the root of their weighted mean).
    """
    points = np.ascontiguousarray(positions, np.float64)
    left, vertices = np.arange(len(indices), dtype=np.int32), indices.astype(np.int32)
    faces = np.empty_like(vertices)
    place, heir = np.ascontiguousarray(place), np.arange(len(place), dtype=np.int32)
    worst, rows = 0.0, None
    for _ in range(_MOST_PASSES):
        count = _go_on(heir, place, vertices, left, faces)
        left, vertices, faces = left[:count], vertices[:count], faces[:count]
        if len(faces) <= goal:
            break
        twin = twins(faces.view(np.uint32))
        edge_kind = np.empty(len(twin), np.int8)
        _edge_kinds(faces, vertices, twin, edge_kind)
        kinds = np.zeros(len(points), np.int8)
        _place_kinds(faces, twin, edge_kind, np.zeros(len(points), np.int32), np.zeros(len(points), np.int32), kinds)
        if rows is None:
            rows = quadrics(points, faces, edge_kind)
        error = _pass(points, faces, vertices, twin, edge_kind, kinds, rows, len(faces) - goal, most_error, heir)
        if error is None:
            break
        worst = max(worst, error)
    return Thinned(left.astype(np.int64), vertices.astype(np.uint32), float(np.sqrt(worst)))


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
    heir: AnyArray,
) -> float | None:
    """One pass over all edges: fills in the heirs of vertices, the largest cost; None when nothing could go."""
    cost, ways = np.empty(len(twin), np.float32), np.zeros(len(twin), np.int8)
    most_cost = most_error * most_error
    over_ranges(
        len(faces), lambda a, b: _costs(points, faces, a, b, twin, edge_kind, kinds, rows, most_cost, cost, ways)
    )
    order = _cheapest(cost, most_cost, most // 2)
    starts, listed = np.zeros(len(points) + 2, np.int32), np.empty(faces.size, np.int32)
    _around(faces, starts, listed)
    target = np.arange(len(points), dtype=np.int32)
    gone, worst = _collapse(points, faces, vertices, twin, cost, ways, order, most, starts, listed, target, heir, rows)
    return float(worst) if gone else None


@numba.njit(cache=True, nogil=True)
def _in_steps(kind, limit, further, wanted, ends, order):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Number edges by steps of cost, in each as they come; returns how many are worth a try."""
    for h in range(len(kind)):
        if kind[h] <= limit:
            ends[kind[h] + 1] += 1
    last = 0
    for k in range(limit + 1):
        ends[k + 1] += ends[k]
        if ends[k] <= wanted:
            last = k
    last = min(last + further, limit)
    count = ends[last + 1]
    for h in range(len(kind)):
        if kind[h] <= last:
            order[ends[kind[h]]] = h
            ends[kind[h]] += 1
    return count


def _cheapest(cost: AnyArray, most_cost: float, wanted: int) -> AnyArray:
    """(e,) uint32 edges by their cost (h,) float32, those that cost not much more than the `wanted` cheapest.

    Costs count in steps of half a doubling. Edges of one step stay in the order of the faces, and so near to
    each other in memory, which is worth more than half of the time.
    """
    kind = cost.view(np.uint32) >> np.uint32(_STEP_BITS)
    limit = int(np.minimum(np.float32(most_cost), _LARGEST).view(np.uint32) >> np.uint32(_STEP_BITS))
    order = np.empty(len(cost), np.uint32)
    count = _in_steps(kind.astype(np.int32), limit, _REACH, wanted, np.zeros(limit + 2, np.int64), order)
    return order[:count]

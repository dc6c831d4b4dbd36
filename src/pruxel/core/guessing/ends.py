"""Where a run of corners begins and ends: as its surface goes on, as the head states, and as positions bear out."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from pruxel.core.base.arrays import ByteArray, DoubleArray
from pruxel.core.guessing.corners import MOST_JOINING, Corners, edge_keys, have_area
from pruxel.core.guessing.numbers import Numbers

_LONG = 1.6  # times the length that nearly all edges stay below: no longer part of the surface
_STRAYS = 16  # triangles at an end that belong to nothing, at most
_MOST_CUT = 0.7  # of a run is left, where a stated one ends with it


def grown_ends(data: ByteArray, corners: Corners) -> Corners:
    """The run with what follows and goes on with its surface: each triangle by an open edge, at most one new vertex."""
    if corners.kind == "strip":
        return _grown_strip(data, corners)
    step, dtype = 3 * corners.width, np.dtype(f"{corners.order}u{corners.width}")
    ahead, behind = edge_keys(corners.triangles(data))
    there, end, vertices = set(ahead.tolist()), corners.end, corners.vertices
    open_edges = set(behind.tolist()) - there
    while end + step <= len(data):
        three = data[end : end + step].view(dtype).astype(np.int64)
        mine, others = (keys.tolist() for keys in edge_keys(three[None]))
        if not have_area(three[None])[0] or three.max() > vertices or not open_edges & set(mine) or there & set(mine):
            break
        there |= set(mine)
        open_edges = (open_edges | set(others)) - there
        vertices, end = max(vertices, int(three.max()) + 1), end + step
    return replace(corners, count=(end - corners.offset) // corners.width, vertices=vertices)


def _grown_strip(data: ByteArray, corners: Corners) -> Corners:
    """The strip with the numbers behind it that name a new vertex, lie on an open edge, or join it to another strip."""
    values = data[corners.offset :][: (len(data) - corners.offset) // corners.width * corners.width]
    values = values.view(np.dtype(f"{corners.order}u{corners.width}"))
    _, behind = edge_keys(corners.triangles(data))
    open_edges, vertices, end, sure = set(behind.tolist()), corners.vertices, corners.count, corners.count
    while end < len(values) and end - sure <= MOST_JOINING:
        a, b, c = (int(one) for one in values[end - 2 : end + 1])
        if c > vertices:
            break
        end += 1
        if len({a, b, c}) < 3:
            continue  # no area: perhaps the way to the next strip
        a, b = (a, b) if end % 2 else (b, a)
        # The edge from a to b it shares with the triangle before, as any number would.
        if c < vertices and not open_edges & {(b << 32) | c, (c << 32) | a}:
            break
        open_edges |= {(b << 32) | a, (c << 32) | b, (a << 32) | c}
        vertices, sure = max(vertices, c + 1), end
    return replace(corners, count=sure, vertices=vertices)


def stated_ends(data: ByteArray, corners: Corners, numbers: Numbers) -> tuple[Corners, bool]:
    """The corners as the file's head states them, if that differs by little, and whether it states their number.

    What differs from what was found is believed where the number of vertices is stated too, or where a stated place
    and a stated number end where the run ends.
    """
    size = corners.width
    whole = _ending_as(corners, numbers)
    if whole is not None:
        return replace(whole, vertices=int(whole.triangles(data).max()) + 1), True
    counts_too = (corners.vertices, corners.count, corners.count // 3)
    start = numbers.near(corners.offset, 12 * size)
    places = start is not None and start not in counts_too and numbers.place(start)
    if start is not None and places and (start - corners.offset) % size == 0:
        corners = replace(corners, offset=start, count=corners.count + (corners.offset - start) // size)
    room = 6 if numbers.near(corners.vertices, 2) else 0
    counts = [numbers.near(corners.count, room)]
    if corners.kind == "list":
        counts.append(3 * (numbers.near(corners.count // 3, room // 3) or 0))
        counts = [one for one in counts if one and one % 3 == 0]
    count = min((one for one in counts if one), key=lambda one: abs(one - corners.count), default=None)
    if count is not None and corners.offset + count * size <= len(data):
        corners = replace(corners, count=count)
    triangles = corners.triangles(data)
    return replace(corners, vertices=int(triangles.max()) + 1), count is not None


def _ending_as(corners: Corners, numbers: Numbers) -> Corners | None:
    """The run from a stated place, of a stated number of corners or triangles, that ends where this one does."""
    for stated in sorted(numbers.by_value, reverse=True):
        for count in (stated, 3 * stated):
            start = corners.end - count * corners.width
            if _MOST_CUT * corners.count < count <= corners.count and numbers.place(start):
                return replace(corners, offset=start, count=count)
    return None


def fitted_ends(data: ByteArray, points: DoubleArray, corners: Corners) -> Corners:
    """The corners without triangles at both ends that do not belong to the surface, and with those that do."""
    size = corners.width
    step = 3 if corners.kind == "list" else 1
    triangles = corners.triangles(data)
    edges = points[triangles] - points[np.roll(triangles, 1, axis=1)]
    most = _LONG * max(float(np.quantile(np.linalg.norm(edges, axis=2), 0.98)), 1e-30)
    dtype = np.dtype(f"{corners.order}u{size}")

    def belongs(first: int) -> bool:
        """Whether the three corners from byte `first` on are a triangle of the surface."""
        if first < 0 or first + 3 * size > len(data):
            return False
        three = data[first : first + 3 * size].view(dtype).astype(np.int64)
        if three.max() >= len(points) or len(set(three.tolist())) < 3:
            return False
        sides = points[three] - points[np.roll(three, 1)]
        return bool(np.linalg.norm(sides, axis=1).max() <= most)

    first, end = corners.offset, corners.end
    if end - first > 30 * size:
        ahead = (first + n * step * size for n in range(_STRAYS))
        first = next((one for one in ahead if all(belongs(one + n * step * size) for n in range(3))), first)
        back = (end - n * step * size for n in range(_STRAYS))
        end = next((one for one in back if all(belongs(one - (3 + n * step) * size) for n in range(3))), end)
    for _ in range(64):
        if not belongs(end - (3 - step) * size):
            break
        end += step * size
    for _ in range(64):
        if not belongs(first - step * size):
            break
        first -= step * size
    return replace(corners, offset=first, count=(end - first) // size)

"""Holes of a surface: rings of open edges, and the triangles that close them."""

from __future__ import annotations

import numpy as np

from pruxel.core.base.arrays import AnyArray, FloatArray, IndexArray
from pruxel.core.geometry.edges import BORDER
from pruxel.core.geometry.polygons import triangulate


def rings(corners: IndexArray, twin: AnyArray, most: int) -> list[AnyArray]:
    """Rings of open half-edges, each (k,) int64 in the order in which a face in the hole would run along them.

    corners (m, 3) places; twin as `edges.twins` gives it; rings of more than `most` edges are left out. Where several
    rings meet at a place they are told apart by going on along the first open edge that is not yet used.
    """
    flat = corners.reshape(-1)
    opened = np.flatnonzero(twin == BORDER)
    start = flat[opened]
    end = corners[opened // 3, (opened % 3 + 1) % 3]
    # A face in the hole runs the other way: from an edge's end to its start, on to the edge that ends there.
    by_end: dict[int, list[int]] = {}
    for number, place in enumerate(end.tolist()):
        by_end.setdefault(place, []).append(number)
    used = np.zeros(len(opened), bool)
    found = []
    for first in range(len(opened)):
        if used[first]:
            continue
        ring, at = [], first
        while not used[at]:
            used[at] = True
            ring.append(at)
            following = [one for one in by_end.get(int(start[at]), []) if not used[one] or one == first]
            if not following:
                break
            at = following[0]
        closed = len(ring) > 2 and int(start[ring[-1]]) == int(end[ring[0]])
        if closed and len(ring) <= most:
            found.append(opened[ring])
    return found


def filled(positions: FloatArray, vertices: IndexArray, ring: AnyArray) -> AnyArray:
    """(k - 2, 3) int64 vertices of the triangles that close a ring of k half-edges; vertices (m, 3) of the surface.

    Each corner is the vertex at the end of its open edge, with all that it carries.
    """
    outline = vertices[ring // 3, (ring % 3 + 1) % 3].astype(np.int64)
    triangles, _, _ = triangulate(positions, outline, np.array([[0, len(outline)]], np.int64))
    return outline[triangles]

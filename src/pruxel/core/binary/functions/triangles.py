"""Triangles as files have them → three corners a row."""

from __future__ import annotations

from typing import Any

import numpy as np

from pruxel.core.base.arrays import AnyArray
from pruxel.core.binary.arithmetic import as_array, check_size
from pruxel.core.binary.functions.arrays import starts, whole, wholes, within
from pruxel.core.binary.functions.registry import function

_GROUP = "Triangles"


@function(_GROUP)
def strip(corners: Any, restart: int = -1, flipped: int = 0) -> AnyArray:  # noqa: ANN401 - any value of a field
    """A strip of triangles, every second one turned; `restart` ends one strip and begins the next.

    Triangles with two equal corners, which strips are joined by, go. With `flipped` 1 the first one is turned.
    """
    found = wholes(corners, "corners")
    cuts = found == restart if restart >= 0 else np.zeros(len(found), bool)
    if len(found) < 3:
        return np.zeros((0, 3), np.int64)
    begin = np.maximum.accumulate(np.where(cuts, np.arange(len(found)) + 1, 0))[:-2]
    number = np.arange(len(found) - 2)
    odd = (number - begin + flipped) % 2 == 1
    a, b, c = found[:-2], found[1:-1], found[2:]
    keep = ~(cuts[:-2] | cuts[1:-1] | cuts[2:]) & (a != b) & (b != c) & (a != c)
    return np.stack([a, np.where(odd, c, b), np.where(odd, b, c)], axis=1)[keep]


@function(_GROUP)
def fan(corners: Any, restart: int = -1) -> AnyArray:  # noqa: ANN401
    """A fan of triangles about its first corner; `restart` ends one fan and begins the next."""
    found = wholes(corners, "corners")
    if restart < 0:
        return polygons(found, np.array([len(found)])) if len(found) >= 3 else np.zeros((0, 3), np.int64)
    ends = np.append(np.flatnonzero(found == restart), len(found))
    sizes = np.diff(ends, prepend=-1) - 1
    return polygons(found[found != restart], sizes)


@function(_GROUP)
def quads(corners: Any) -> AnyArray:  # noqa: ANN401
    """Four corners a face, cut along the line from the first to the third."""
    found = wholes(corners, "corners")
    if len(found) % 4:
        raise ValueError(f"{len(found):,} corners are no whole faces of four")
    return found.reshape(-1, 4)[:, [0, 1, 2, 0, 2, 3]].reshape(-1, 3)


@function(_GROUP)
def polygons(corners: Any, sizes: Any) -> AnyArray:  # noqa: ANN401
    """Faces of `sizes` corners each, one behind the other, cut as fans; those of fewer than three go."""
    found, counts = wholes(corners, "corners"), wholes(sizes, "sizes")
    if len(counts) and int(counts.min()) < 0:
        raise ValueError("a face of fewer than 0 corners")
    total = int(counts.sum(dtype=np.float64))
    if total > len(found):
        raise ValueError(f"faces of {total:,} corners in all, of {len(found):,} that are there")
    each = np.maximum(counts - 2, 0)
    check_size(int(each.sum()), 3)
    first, step = np.repeat(starts(counts), each), within(each)
    return np.stack([found[first], found[first + step + 1], found[first + step + 2]], axis=1)


@function(_GROUP)
def face_of(sizes: Any) -> AnyArray:  # noqa: ANN401
    """For each triangle that `polygons` makes of faces of these sizes, the number of its face."""
    counts = wholes(sizes, "sizes")
    each = np.maximum(counts - 2, 0)
    check_size(int(each.sum(dtype=np.float64)))
    return np.repeat(np.arange(len(counts)), each)


@function(_GROUP)
def lattice(width: int, height: int, first: int = 0) -> AnyArray:
    """The triangles of a net of `width` by `height` points that follow each other row by row from `first` on."""
    columns, lines = whole(width, "'width'"), whole(height, "'height'")
    if columns < 2 or lines < 2:
        return np.zeros((0, 3), np.int64)
    check_size(columns - 1, lines - 1, 6)
    at = (np.arange(lines - 1)[:, None] * columns + np.arange(columns - 1)).reshape(-1) + whole(first, "'first'")
    return np.stack([at, at + 1, at + columns, at + 1, at + columns + 1, at + columns], axis=1).reshape(-1, 3)


@function(_GROUP)
def bezier_net(points: Any, width: int, height: int, steps: int) -> AnyArray:  # noqa: ANN401
    """Points of a surface of quadratic Bézier patches, `steps` steps a patch each way, row by row.

    points: `width` by `height` control points (both odd), any number of values each; neighbours share a row. The net
    has `(width - 1) / 2 * steps + 1` points a row: `lattice` makes its triangles.
    """
    columns, lines, density = whole(width, "'width'"), whole(height, "'height'"), whole(steps, "'steps'")
    found = as_array(points).astype(np.float64)
    if columns % 2 == 0 or lines % 2 == 0 or min(columns, lines) < 3 or not 1 <= density <= 64:
        raise ValueError("a net of patches has an odd number of points each way, at least 3, and 1 to 64 steps")
    if found.ndim != 2 or len(found) != columns * lines:
        raise ValueError(f"{len(found):,} points for a net of {columns} x {lines}")
    size = ((lines - 1) // 2 * density + 1, (columns - 1) // 2 * density + 1)
    check_size(*size, found.shape[1])
    return np.einsum(
        "ai,bj,ijk->abk",
        _bezier_weights(lines, density),
        _bezier_weights(columns, density),
        found.reshape(lines, columns, -1),
    ).reshape(-1, found.shape[1])


def _bezier_weights(points: int, steps: int) -> AnyArray:
    """(samples, points): how much each control point of a row counts (Bernstein polynomials of degree 2)."""
    patches = (points - 1) // 2
    whole_net = np.zeros((patches * steps + 1, points))
    t = np.arange(steps + 1) / steps
    for patch in range(patches):
        at = slice(patch * steps, patch * steps + steps + 1)
        whole_net[at, patch * 2 : patch * 2 + 3] = np.stack([(1 - t) ** 2, 2 * t * (1 - t), t**2], axis=1)
    return whole_net

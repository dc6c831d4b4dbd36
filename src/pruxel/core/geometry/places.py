"""Which vertices stand at one place: equal positions, or positions nearer than a distance."""

from __future__ import annotations

import numba
import numpy as np

from pruxel.core.base.arrays import AnyArray, FloatArray, IndexArray, usable_rows
from pruxel.core.geometry.unique import bits_of, unique_rows

# Cells are this many distances wide: few points look into more than one, and few places share one.
_CELL_DISTANCES = 8.0
# Cells of a grid along one axis; whole numbers beyond it would lose their last digits.
_MOST_CELLS = float(1 << 40)


@numba.njit(inline="always")
def _slot_of(x, y, z, mask):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    mixed = x * np.int64(0x2545F4914F6CDD1D) ^ (x >> np.int64(31))
    mixed = (mixed ^ y) * np.int64(0x2545F4914F6CDD1D)
    mixed ^= mixed >> np.int64(29)
    mixed = (mixed ^ z) * np.int64(0x2545F4914F6CDD1D)
    return (mixed ^ mixed >> np.int64(32)) & mask


@numba.njit(cache=True, nogil=True)
def _gather(points, usable, distance, side, heads, following, known, firsts, place):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Each point joins the nearest place before it that is near enough, or begins one; returns how many there are.

    The places of all cells that share a slot hang in one chain: those of other cells are too far away to be taken, and
    so no slot needs to say which cell it stands for.
    """
    mask = np.int64(len(heads) - 1)
    near, cells = distance * distance, 1 / side
    count = 0
    for i in range(len(points)):
        if not usable[i]:
            firsts[count], place[i] = i, count
            count += 1
            continue
        px, py, pz = np.float64(points[i, 0]), np.float64(points[i, 1]), np.float64(points[i, 2])
        best, least = np.int64(-1), near
        low, high = np.int64(np.floor((pz - distance) * cells)), np.int64(np.floor((pz + distance) * cells))
        for x in range(np.int64(np.floor((px - distance) * cells)), np.int64(np.floor((px + distance) * cells)) + 1):
            for y in range(
                np.int64(np.floor((py - distance) * cells)), np.int64(np.floor((py + distance) * cells)) + 1
            ):
                for z in range(low, high + 1):
                    at = np.int64(heads[_slot_of(x, y, z, mask)])
                    while at >= 0:
                        dx, dy, dz = px - known[at, 0], py - known[at, 1], pz - known[at, 2]
                        apart = dx * dx + dy * dy + dz * dz
                        if apart < least or (apart == least and (best < 0 or at < best)):
                            best, least = at, apart
                        at = np.int64(following[at])
        if best >= 0:
            place[i] = best
            continue
        slot = _slot_of(
            np.int64(np.floor(px * cells)), np.int64(np.floor(py * cells)), np.int64(np.floor(pz * cells)), mask
        )
        known[count, 0], known[count, 1], known[count, 2] = points[i, 0], points[i, 1], points[i, 2]
        firsts[count], place[i] = i, count
        following[count], heads[slot] = heads[slot], count
        count += 1
    return count


def places(positions: FloatArray, distance: float = 0.0) -> tuple[AnyArray, IndexArray]:
    """(p,) int64 the first vertex at each place, and (n,) uint32 the place of each of (n, 3) vertices.

    At distance 0 equal positions are one place. Otherwise a vertex joins the nearest place before it that is no
    farther than `distance`, in metres, measured to the place's first vertex, so that chains of near vertices do not
    run together; across the borders of the grid that finds them too. What is no number is a place of its own.
    """
    if distance <= 0:
        return unique_rows(bits_of(positions))
    usable = usable_rows(positions)
    reach = float(np.abs(positions[usable]).max()) if usable.any() else 0.0
    side = max(_CELL_DISTANCES * distance, reach / _MOST_CELLS)
    heads = np.full(1 << max(len(positions).bit_length(), 4), -1, np.int32)
    following, known = np.empty(len(positions), np.int32), np.empty((len(positions), 3), np.float32)
    firsts, place = np.empty(len(positions), np.int64), np.empty(len(positions), np.uint32)
    points = np.ascontiguousarray(positions, np.float32)
    count = _gather(points, usable, distance, side, heads, following, known, firsts, place)
    return firsts[:count], place

"""Which vertices stand at one place: equal positions, or positions nearer than a distance."""

from __future__ import annotations

import numba
import numpy as np

from pruxel.core.base.arrays import AnyArray, FloatArray, IndexArray, usable_rows
from pruxel.core.geometry.unique import bits_of, unique_rows

# Cells are this many distances wide: few points look into more than one, and few places share one.
_CELL_DISTANCES = 4.0
# Cells of a grid along one axis; whole numbers beyond it would lose their last digits.
_MOST_CELLS = float(1 << 40)


@numba.njit(cache=True, nogil=True)
def _slot_of(x, y, z, cells, heads, mask):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Where a cell stands in the table, or where it would stand."""
    mixed = x * np.int64(0x2545F4914F6CDD1D) ^ (x >> np.int64(31))
    mixed = (mixed ^ y) * np.int64(0x2545F4914F6CDD1D)
    mixed ^= mixed >> np.int64(29)
    mixed = (mixed ^ z) * np.int64(0x2545F4914F6CDD1D)
    mixed ^= mixed >> np.int64(32)
    slot = mixed & mask
    while heads[slot] >= 0 and (cells[slot, 0] != x or cells[slot, 1] != y or cells[slot, 2] != z):
        slot = (slot + np.int64(1)) & mask
    return slot


@numba.njit(cache=True, nogil=True)
def _gather(points, usable, distance, side, cells, heads, following, firsts, place):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Each point joins the nearest place before it that is near enough, or begins one; returns how many there are."""
    mask = np.int64(len(heads) - 1)
    near = distance * distance
    count = 0
    for i in range(len(points)):
        if not usable[i]:
            firsts[count], place[i] = i, count
            count += 1
            continue
        px, py, pz = np.float64(points[i, 0]), np.float64(points[i, 1]), np.float64(points[i, 2])
        best, least = np.int64(-1), near
        for cx in range(np.int64(np.floor((px - distance) / side)), np.int64(np.floor((px + distance) / side)) + 1):
            for cy in range(np.int64(np.floor((py - distance) / side)), np.int64(np.floor((py + distance) / side)) + 1):
                low, high = np.floor((pz - distance) / side), np.floor((pz + distance) / side)
                for cz in range(np.int64(low), np.int64(high) + 1):
                    at = heads[_slot_of(cx, cy, cz, cells, heads, mask)]
                    while at >= 0:
                        j = firsts[at]
                        dx, dy, dz = px - points[j, 0], py - points[j, 1], pz - points[j, 2]
                        apart = dx * dx + dy * dy + dz * dz
                        if apart < least or (apart == least and (best < 0 or at < best)):
                            best, least = np.int64(at), apart
                        at = following[at]
        if best >= 0:
            place[i] = best
            continue
        x, y, z = np.int64(np.floor(px / side)), np.int64(np.floor(py / side)), np.int64(np.floor(pz / side))
        slot = _slot_of(x, y, z, cells, heads, mask)
        cells[slot, 0], cells[slot, 1], cells[slot, 2] = x, y, z
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
    size = 1 << max(int(len(positions) * 1.5).bit_length(), 4)
    place, firsts = np.empty(len(positions), np.uint32), np.empty(len(positions), np.int64)
    count = _gather(
        np.ascontiguousarray(positions), usable, distance, side, np.zeros((size, 3), np.int64),
        np.full(size, -1, np.int64), np.empty(len(positions), np.int64), firsts, place,
    )  # fmt: skip
    return firsts[:count], place

"""Rectangles put beside each other in one, by shelves: the highest first, each shelf as high as its first."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import ByteArray

Place = tuple[int, int]


@dataclass(frozen=True)
class Packed:
    """Left and top of each rectangle, without its gap, and the size of the whole."""

    at: tuple[Place, ...]
    width: int
    height: int


def packed(sizes: Sequence[tuple[int, int]], gap: int, *, power: bool) -> Packed:
    """Places for rectangles (width, height), each with a gap around it, in as little room as shelves can do.

    With `power`, the whole has sides of powers of two. One alone has no gap: nothing lies beside it.
    """
    if len(sizes) == 1:
        return Packed(((0, 0),), *(_side(side, power) for side in sizes[0]))
    boxes = [(width + 2 * gap, height + 2 * gap) for width, height in sizes]
    area = sum(width * height for width, height in boxes)
    widest = max(width for width, _ in boxes)
    # Several widths are tried: shelves waste most where the last one is nearly empty.
    least = max(widest, int(area**0.5 / 2))
    tries = {_side(least * step // 8, power) for step in range(8, 33) if least * step // 8 >= widest}
    found = [_shelves(boxes, width) for width in sorted(tries)]
    best = min(found, key=lambda one: (_side(one.width, power) * _side(one.height, power), max(one.width, one.height)))
    inside = tuple((left + gap, top + gap) for left, top in best.at)
    return Packed(inside, _side(best.width, power), _side(best.height, power))


def _side(side: int, power: bool) -> int:  # noqa: FBT001 - private
    return 1 << max(side - 1, 0).bit_length() if power else side


def _shelves(boxes: Sequence[tuple[int, int]], width: int) -> Packed:
    at: list[Place] = [(0, 0)] * len(boxes)
    left = top = shelf = reach = 0
    for k in sorted(range(len(boxes)), key=lambda k: (-boxes[k][1], -boxes[k][0], k)):
        if left + boxes[k][0] > width:
            left, top, shelf = 0, top + shelf, 0
        at[k] = (left, top)
        left += boxes[k][0]
        shelf = max(shelf, boxes[k][1])
        reach = max(reach, left)
    return Packed(tuple(at), reach, top + shelf)


def put(onto: ByteArray, piece: ByteArray, place: Place, gap: int) -> None:
    """Write a piece (height, width, c) into a picture, and its rim around it as far as the gap goes."""
    height, width = piece.shape[:2]
    left, top = place
    x0, y0 = max(left - gap, 0), max(top - gap, 0)
    x1, y1 = min(left + width + gap, onto.shape[1]), min(top + height + gap, onto.shape[0])
    rows, columns = np.clip(np.arange(y0, y1) - top, 0, height - 1), np.clip(np.arange(x0, x1) - left, 0, width - 1)
    onto[y0:y1, x0:x1] = piece[rows[:, None], columns[None, :]]

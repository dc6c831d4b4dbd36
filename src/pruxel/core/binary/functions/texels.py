"""Texels in the order of a picture, from the order that files keep them in."""

from __future__ import annotations

from typing import Any

import numpy as np

from pruxel.core.base.arrays import AnyArray
from pruxel.core.binary.arithmetic import as_array, check_size
from pruxel.core.binary.functions.arrays import whole
from pruxel.core.binary.functions.registry import function

_GROUP = "Texels"


def _items(values: Any, width: int, height: int) -> AnyArray:  # noqa: ANN401 - any value of a field
    found = values if isinstance(values, np.ndarray) else as_array(values)
    if len(found) < whole(width, "'width'") * whole(height, "'height'"):
        raise ValueError(f"{len(found):,} texels for {width} x {height}")
    return found[: width * height]


@function(_GROUP)
def untiled(values: Any, width: int, height: int, tile_width: int, tile_height: int) -> AnyArray:  # noqa: ANN401
    """Row by row, from tiles that follow each other row by row and hold their texels row by row.

    Width and height are multiples of the tile's. Blocks of four by four texels are items like others: count in blocks.
    """
    found = _items(values, width, height)
    across, down = whole(tile_width, "'tile_width'"), whole(tile_height, "'tile_height'")
    if not across or not down or width % across or height % down:
        raise ValueError(f"{width} x {height} is no whole number of tiles of {tile_width} x {tile_height}")
    rest = found.shape[1:]
    tiles = found.reshape(height // down, width // across, down, across, *rest)
    return np.swapaxes(tiles, 1, 2).reshape(width * height, *rest)


@function(_GROUP)
def unwoven(values: Any, width: int, height: int) -> AnyArray:  # noqa: ANN401
    """Row by row, from texels in the order in which the bits of column and row are woven together (a Z-order curve).

    Width and height are powers of two; where one is larger, its upper bits stand above.
    """
    found = _items(values, width, height)
    if width & (width - 1) or height & (height - 1) or not width or not height:
        raise ValueError(f"{width} x {height} is no size of powers of two")
    check_size(width, height)
    at = np.zeros((height, width), np.int64)
    columns, lines = np.arange(width), np.arange(height)[:, None]
    bit = place = 0
    while 1 << bit < max(width, height):
        if 1 << bit < width:
            at |= ((columns >> bit) & 1) << place
            place += 1
        if 1 << bit < height:
            at |= ((lines >> bit) & 1) << place
            place += 1
        bit += 1
    return found[at.reshape(-1)]


@function(_GROUP)
def nibbles(data: Any, high_first: bool = False) -> AnyArray:  # noqa: ANN401, FBT001, FBT002 - said by the layout
    """Two numbers of 4 bits of each byte, the low one first."""
    raw = np.frombuffer(data, np.uint8) if isinstance(data, bytes | memoryview) else as_array(data)
    check_size(len(raw), 2)
    low, high = raw & 15, raw >> 4
    return np.stack([high, low] if high_first else [low, high], axis=1).reshape(-1)


@function(_GROUP)
def unrun(data: Any, size: int, item: int = 1, literal: str = "high_is_run") -> bytes:  # noqa: ANN401
    """Bytes unpacked from runs: a byte that says how many, then one item to repeat, or that many items as they are.

    `item` is the size of an item. With `high_is_run` 128 and more are runs of n - 127; with `high_is_literal` those are
    n - 127 items as they are; with `signed` a byte n below 128 is n + 1 items as they are, above it 257 - n repeats,
    and 128 is nothing.
    """
    raw, wanted, width = memoryview(data), whole(size, "'size'"), whole(item, "'item'")
    check_size(wanted)
    if literal not in {"high_is_run", "high_is_literal", "signed"} or not width:
        raise ValueError(f"'{literal}' is no way of packing runs")
    out, at = bytearray(), 0
    while len(out) < wanted and at < len(raw):
        head = raw[at]
        at += 1
        if literal == "signed":
            if head == 128:
                continue
            run, number = head > 128, 257 - head if head > 128 else head + 1
        else:
            run, number = (head >= 128) == (literal == "high_is_run"), head - 127 if head >= 128 else head + 1
        taken = raw[at : at + (width if run else number * width)]
        if len(taken) < (width if run else number * width):
            raise ValueError(f"a run ends outside the {len(raw):,} bytes")
        out += bytes(taken) * number if run else taken
        at += len(taken)
    if len(out) < wanted:
        raise ValueError(f"runs make {len(out):,} bytes, not {wanted:,}")
    return bytes(out[:wanted])

"""The third engine: everything packed: blocks of attributes, bits, compressed chunks, palettes and tiles."""

from __future__ import annotations

import struct
import zlib

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray
from pruxel.sample.dredged import SHAPES, Net
from pruxel.sample.engines import turtle

SIDE = 64


def files() -> dict[str, bytes]:
    """Its files by path."""
    return {
        "old/deep/life_ring.pkd": packed_bytes(SHAPES["life_ring"]()),
        "old/deep/weed.pal": weed_bytes(),
        "old/deep/turtle.trt": turtle.model_bytes(),
        "old/deep/turtle_swim.tmv": turtle.poses_bytes(),
    }


def packed_bytes(net: Net) -> bytes:
    """Chunks: each a name, a size and what follows; the vertices are compressed, each attribute in a block of its own.

    Positions are 10 bits each between two corners of a box, normals a place on an unfolded octahedron.
    """
    low, high = net.positions.min(axis=0), net.positions.max(axis=0)
    tens = np.rint((net.positions - low) / np.maximum(high - low, 1e-9) * 1023).astype(np.uint32)
    places = (tens[:, 0] | tens[:, 1] << 10 | tens[:, 2] << 20).astype("<u4").tobytes()
    normals = np.rint(octahedral(ring_normals(net)) * 127).astype("i1").tobytes()
    tints = np.rint(np.column_stack([net.colors, np.ones(len(net.colors))]) * 255).astype("u1").tobytes()
    rows = places + normals + tints
    packed = zlib.compress(rows, 9)
    strip: list[int] = []
    for row in range(net.height - 1):
        for n in range(net.width):
            strip += [row * net.width + n, (row + 1) * net.width + n]
        strip.append(0xFFFF)
    box = struct.pack("<6f", *low, *(high - low))
    chunks = (
        (b"note", b"made in the deep\0"),
        (b"rows", struct.pack("<II", len(net.positions), len(rows)) + box + packed),
        (b"skip", bytes(range(40))),
        (b"tris", np.array(strip, "<u2").tobytes()),
    )
    return b"PKDX" + b"".join(name + struct.pack("<I", len(data)) + data for name, data in chunks)


def ring_normals(net: Net) -> DoubleArray:
    """The directions away from the middle of the ring's body."""
    around = np.arctan2(net.positions[:, 1] - 0.37, net.positions[:, 0])
    middle = np.stack([0.3 * np.cos(around), 0.37 + 0.3 * np.sin(around), np.zeros(len(around))], axis=1)
    away = net.positions - middle
    return away / np.linalg.norm(away, axis=1, keepdims=True)


def octahedral(normals: DoubleArray) -> DoubleArray:
    """Unit vectors as places on an unfolded octahedron, (n, 2) from -1 to 1 (Cigolle et al. 2014)."""
    flat = normals / np.abs(normals).sum(axis=1, keepdims=True)
    x, y = flat[:, 0], flat[:, 1]
    sign_x, sign_y = np.where(x >= 0, 1, -1), np.where(y >= 0, 1, -1)
    below = flat[:, 2] < 0
    return np.stack(
        [np.where(below, (1 - np.abs(y)) * sign_x, x), np.where(below, (1 - np.abs(x)) * sign_y, y)], axis=1
    )


def weed_numbers() -> AnyArray:
    """A picture of weed in the current as numbers of 16 colours, (SIDE, SIDE)."""
    y, x = np.mgrid[:SIDE, :SIDE] / SIDE
    bend = 0.05 * np.sin(9 * y) * (1 - y)
    blades = np.sin((x + bend) * 2 * np.pi * 5)
    return np.clip(np.rint(7.5 + 5 * blades * (0.3 + 0.7 * y) + 2.4 * (0.5 - y)), 0, 15).astype(int)


PALETTE = (
    np.stack([np.linspace(18, 170, 16), np.linspace(60, 205, 16), np.linspace(58, 120, 16)], axis=1).round().astype(int)
)


def weed_bytes() -> bytes:
    """A palette, then tiles of 8 by 4 texels, two numbers a byte, the first in the high half."""
    tiles = weed_numbers().reshape(SIDE // 4, 4, SIDE // 8, 8).transpose(0, 2, 1, 3).reshape(-1)
    data = (tiles[0::2] << 4 | tiles[1::2]).astype("u1").tobytes()
    return struct.pack("<4sHH", b"WPAL", SIDE, SIDE) + PALETTE.astype("u1").tobytes() + data

"""The second engine: flags that say what is stored, points weighted to joints, keys only of what moves."""

from __future__ import annotations

import struct

import numpy as np

from pruxel.core.base.arrays import DoubleArray
from pruxel.sample.dredged import SHAPES, Net
from pruxel.sample.engines.tide import quads

JOINTS, FRAMES, RATE = 6, 24, 12
_LENGTH = 0.22


def files() -> dict[str, bytes]:
    """Its files by path."""
    return {
        "old/swell/amphora.bob": flagged_bytes(SHAPES["amphora"]()),
        "old/swell/eel.eel": eel_bytes(),
    }


def flagged_bytes(net: Net) -> bytes:
    """Vertices of varying size: flags, a place, a colour where it is not the clay's own; 32-bit corners by a flag."""
    clay = np.array([183, 107, 71])
    tints = np.rint(net.colors * 255).astype(int)
    data = b""
    for place, tint in zip(net.positions.tolist(), tints, strict=True):
        odd = bool(np.abs(tint - clay).max() > 8)
        data += struct.pack("<B3f", int(odd), *place) + (bytes([*tint.tolist(), 255]) if odd else b"")
    faces = quads(net)
    head = struct.pack("<4sHHII", b"BOBB", 4, 2, len(net.positions), len(faces))
    return head + data + b"\0" * (-len(head + data) % 4) + faces.astype("<u4").tobytes()


def eel_places(frame: int) -> DoubleArray:
    """Where each joint stands at a frame, turned about up from its parent: angles (JOINTS,) in radians."""
    return 0.35 * np.sin(2 * np.pi * (frame / FRAMES - np.arange(JOINTS) / JOINTS)) * (np.arange(JOINTS) > 0)


def eel_bytes() -> bytes:
    """Joints, the tail's first, each by a matrix in the model; vertices as weighted points; angles by masks."""
    data = struct.pack("<4s5H", b"EELS", JOINTS, _RINGS * 8, _RINGS * 8 * 2, (_RINGS - 1) * 8, FRAMES)
    # Children stand before their parents: joint 0 is the tip of the tail, the last one the head.
    for joint in range(JOINTS):
        parent = joint + 1 if joint + 1 < JOINTS else -1
        x = -_LENGTH * (JOINTS - 1 - joint)
        mask = 0b010 if parent >= 0 else 0
        name = f"spine_{JOINTS - 1 - joint}".encode()
        data += struct.pack("<B", len(name)) + name
        data += struct.pack("<hH12f", parent, mask, 1, 0, 0, x, 0, 1, 0, 0.2, 0, 0, 1, 0)
    data += _points()
    for ring in range(_RINGS - 1):
        for n in range(8):
            a, b = ring * 8 + n, ring * 8 + (n + 1) % 8
            data += struct.pack("<4H", a, a + 8, b + 8, b)
    angles = np.stack([eel_places(frame) for frame in range(FRAMES)])
    for joint in range(JOINTS - 1):  # one run of keys a joint that moves
        data += np.rint(angles[:, JOINTS - 1 - joint] / np.pi * 32767).astype("<i2").tobytes()
    return data


_RINGS = 18


def eel_rest() -> DoubleArray:
    """The vertices at rest, (n, 3): rings along x."""
    found = []
    for ring in range(_RINGS):
        along = ring / (_RINGS - 1)
        size = 0.07 * (np.sin(np.pi * (0.12 + 0.85 * along)) ** 0.7)
        for n in range(8):
            a = n / 8 * 2 * np.pi
            found.append((-along * _LENGTH * (JOINTS - 1), 0.2 + size * np.cos(a), 0.6 * size * np.sin(a)))
    return np.array(found)


def _points() -> bytes:
    """Two points a vertex: its place seen from the two joints it lies between, and how much each counts."""
    data = b""
    for x, y, z in eel_rest().tolist():
        along = -x / _LENGTH
        before = min(int(along), JOINTS - 2)
        share = along - before
        for number, weight in ((before, 1 - share), (before + 1, share)):
            joint = JOINTS - 1 - number
            data += struct.pack("<BB3f", joint, round(weight * 255), x + _LENGTH * number, y - 0.2, z)
    return data

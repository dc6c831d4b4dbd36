"""What the dredger brought up: files of an engine that nobody remembers, which no layout of the profile describes.

Each is a head (mark, version, counts, places, a scale, a name), vertices of 20 bytes and 16-bit triangles.
"""

from __future__ import annotations

import struct
from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray

MARK = b"DRDG"
_NAME = 24


@dataclass(frozen=True, eq=False)
class Net:
    """A surface of `width` by `height` points: positions (n, 3) in metres, Y up, and colours (n, 3) from 0 to 1."""

    width: int
    height: int
    positions: DoubleArray
    colors: DoubleArray


def _grid(width: int, height: int) -> tuple[DoubleArray, DoubleArray]:
    u, v = np.meshgrid(np.linspace(0, 1, width), np.linspace(0, 1, height))
    return u.reshape(-1), v.reshape(-1)


def _whelk() -> Net:
    """A shell wound up along a cone."""
    width, height = 25, 121
    around, along = _grid(width, height)
    turn, grown = along * 2 * np.pi * 5.2, np.exp(3.0 * (along - 1))
    ribs = 1 + 0.05 * np.sin(along * 90)
    a = -around * 2 * np.pi
    out = grown * (0.075 + 0.085 * np.cos(a) * ribs)
    up = 0.42 - grown * (0.33 - 0.09 * np.sin(a) * ribs)
    places = np.stack([out * np.cos(turn), up, out * np.sin(turn)], axis=1)
    band = 0.5 + 0.5 * np.sin(along * 90)[:, None]
    return Net(width, height, places, np.array([0.86, 0.6, 0.42]) * (0.6 + 0.4 * band))


def _turned(profile: list[tuple[float, float]], tint: tuple[float, float, float], width: int = 33) -> Net:
    """A shape turned on a wheel: (radius, height) from bottom to top, rounded off between."""
    points = np.array(profile)
    fine = np.linspace(0, len(points) - 1, 8 * len(points))
    radius, up = (np.interp(fine, np.arange(len(points)), points[:, n]) for n in (0, 1))
    height = len(fine)
    around, along = _grid(width, height)
    row = np.rint(along * (height - 1)).astype(int)
    a = around * 2 * np.pi
    places = np.stack([radius[row] * np.cos(a), up[row], radius[row] * np.sin(a)], axis=1)
    grain = 0.85 + 0.15 * np.sin(9 * along + 3 * np.sin(a))[:, None]
    return Net(width, height, places, np.array(tint) * grain)


def _starfish() -> Net:
    """Five arms, thick in the middle."""
    width, height = 81, 25
    around, along = _grid(width, height)
    a, up = around * 2 * np.pi, np.pi * (along - 0.5)
    arm = 0.07 + 0.11 * (0.5 + 0.5 * np.cos(5 * a)) ** 1.5
    places = np.stack([arm * np.cos(up) * np.cos(a), 0.035 * np.sin(up) + 0.035, arm * np.cos(up) * np.sin(a)], axis=1)
    spots = (np.sin(40 * arm) * np.sin(9 * a) > 0.55)[:, None]
    return Net(width, height, places, np.where(spots, [0.95, 0.8, 0.6], [0.82, 0.34, 0.24]))


def _life_ring() -> Net:
    """A ring with bands."""
    width, height = 49, 21
    around, along = _grid(width, height)
    a, b = around * 2 * np.pi, -along * 2 * np.pi
    wide = 0.3 + 0.07 * np.cos(b)
    places = np.stack([wide * np.cos(a), wide * np.sin(a) + 0.37, 0.07 * np.sin(b)], axis=1)
    banded = ((np.floor(around * 8) % 2) == 0)[:, None]
    return Net(width, height, places, np.where(banded, [0.92, 0.9, 0.84], [0.78, 0.25, 0.2]))


SHAPES = {
    "whelk": _whelk,
    "amphora": lambda: _turned(
        [(0.02, 0), (0.06, 0.02), (0.17, 0.3), (0.2, 0.5), (0.14, 0.68), (0.06, 0.78), (0.06, 0.9), (0.09, 0.94)],
        (0.72, 0.42, 0.28),
    ),
    "bell": lambda: _turned(
        [(0.24, 0), (0.2, 0.06), (0.16, 0.2), (0.14, 0.34), (0.08, 0.42), (0.01, 0.44)], (0.72, 0.6, 0.3)
    ),
    "starfish": _starfish,
    "life_ring": _life_ring,
}


def dredged_files() -> dict[str, bytes]:
    """All of them by path."""
    return {f"dredged/{name}.drg": dredged_bytes(name, make()) for name, make in SHAPES.items()}


def dredged_bytes(name: str, net: Net) -> bytes:
    """One file."""
    triangles = _triangles(net.width, net.height, net.positions)
    scale = float(np.abs(net.positions).max())
    count = len(net.positions)
    rows = np.zeros(count, np.dtype([("place", "<i2", 4), ("normal", "i1", 4), ("uv", "<f2", 2), ("tint", "u1", 4)]))
    rows["place"][:, :3] = np.rint(net.positions / scale * 32767)
    rows["normal"][:, :3] = np.rint(_normals(net.positions, triangles) * 127)
    rows["uv"] = np.stack(_grid(net.width, net.height), axis=1)
    rows["tint"][:, :3], rows["tint"][:, 3] = np.rint(np.clip(net.colors, 0, 1) * 255), 255
    head = 28 + _NAME
    first = struct.pack("<4s2H4If", MARK, 3, 1, count, len(triangles), head, head + rows.nbytes, scale)
    return first + name.encode().ljust(_NAME, b"\0") + rows.tobytes() + triangles.astype("<u2").tobytes()


def _triangles(width: int, height: int, positions: DoubleArray) -> AnyArray:
    """Two for each field of the net, those of no area left out."""
    field = np.arange((width - 1) * (height - 1))
    first = field // (width - 1) * width + field % (width - 1)
    found = np.stack([first, first + width, first + 1, first + 1, first + width, first + width + 1], axis=1)
    found = found.reshape(-1, 3)
    a, b, c = (positions[found[:, n]] for n in range(3))
    return found[np.linalg.norm(np.cross(b - a, c - a), axis=1) > 1e-9]


def _normals(positions: DoubleArray, triangles: AnyArray) -> DoubleArray:
    a, b, c = (positions[triangles[:, n]] for n in range(3))
    out = np.zeros_like(positions)
    for corner in range(3):
        np.add.at(out, triangles[:, corner], np.cross(b - a, c - a))
    return out / np.maximum(np.linalg.norm(out, axis=1, keepdims=True), 1e-12)

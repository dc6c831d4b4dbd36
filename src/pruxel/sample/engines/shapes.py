"""Round bodies along a line: what the earlier engines' creatures are made of."""

from __future__ import annotations

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray


def tube(path: DoubleArray, radii: DoubleArray, sides: int, flat: float = 1.0) -> tuple[DoubleArray, AnyArray]:
    """Rings around a line of points (k, 3) with a radius each, `flat` times as high as they are wide.

    Returns (k * sides, 3) positions and (q, 4) corners of faces that look outward.
    """
    along = np.gradient(path, axis=0)
    along /= np.linalg.norm(along, axis=1, keepdims=True)
    level = np.where(np.abs(along[:, 1:2]) > 0.9, [[1.0, 0.0, 0.0]], [[0.0, 1.0, 0.0]])
    side = np.cross(level, along)
    side /= np.linalg.norm(side, axis=1, keepdims=True)
    up = np.cross(along, side)
    turn = np.arange(sides) / sides * 2 * np.pi
    rings = side[:, None] * np.cos(turn)[:, None] + flat * up[:, None] * np.sin(turn)[:, None]
    places = path[:, None] + radii[:, None, None] * rings
    ring, n = (one.reshape(-1) for one in np.mgrid[: len(path) - 1, :sides])
    a, b = ring * sides + n, ring * sides + (n + 1) % sides
    return places.reshape(-1, 3), np.stack([a, b, b + sides, a + sides], axis=1)

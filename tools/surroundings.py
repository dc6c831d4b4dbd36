"""What the page's models mirror: a sky with soft panels, filtered ahead for every roughness.

    python -m tools.surroundings

Written anew into the page's sources; to be run when a panel changes. Where the processor draws, filtering it in the
page took longer than all else that is drawn when a model opens.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from pruxel.core.steps.colors import linear_of

WRITTEN = Path(__file__).parent.parent / "web/src/viewer/surroundings.bin"
# Texels along an edge of the cube; each level below has half of them, the last is for what is wholly rough.
EDGE = 64
LEVELS = 4
# Even the smoothest level is this soft, in radians: a texel and a little.
SOFT = 0.03

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Panel:
    """A box that shines: sRGB colour as #rrggbb, strength, sizes and centre in metres, the eye in the origin, +Y up."""

    color: str
    strength: float
    size: tuple[float, float, float]
    at: tuple[float, float, float]


SKY = "#b9c4c2"
PANELS = (
    Panel("#fff6e4", 7, (9, 0.2, 7), (4, 11, 4)),
    Panel("#d8f0f2", 3, (0.2, 8, 10), (-13, 4, 0)),
    Panel("#ffe9cf", 2.5, (6, 6, 0.2), (8, 4, 13)),
    Panel("#6d6152", 1, (30, 0.2, 30), (0, -9, 0)),
)


def seen(directions: Floats, sky: str = SKY, panels: tuple[Panel, ...] = PANELS) -> Floats:
    """Light, (..., 3) linear, that comes from directions, (..., 3) of any length: the nearest panel's or the sky's."""
    light = np.broadcast_to(linear_of(sky), directions.shape).copy()
    nearest = np.full(directions.shape[:-1], np.inf)
    for panel in panels:
        half, at = np.array(panel.size) / 2, np.array(panel.at)
        with np.errstate(divide="ignore"):
            first, second = (at - half) / directions, (at + half) / directions
        enters = np.minimum(first, second).max(axis=-1)
        leaves = np.maximum(first, second).min(axis=-1)
        met = (enters <= leaves) & (enters > 0) & (enters < nearest)
        nearest[met] = enters[met]
        light[met] = np.multiply(linear_of(panel.color), panel.strength)
    return light


def texels(edge: int) -> Floats:
    """Directions of the texels of a cube map's six faces, (6, edge, edge, 3) of length 1.

    Faces and rows as OpenGL has them (4.6 core, table 8.19), X turned about, as three.js looks into a cube.
    """
    along = (np.arange(edge) + 0.5) / edge * 2 - 1
    t, s = np.meshgrid(along, along, indexing="ij")
    one = np.ones_like(s)
    faces = [(one, -t, -s), (-one, -t, s), (s, one, t), (s, -one, -t), (s, -t, one), (-s, -t, -one)]
    directions = np.stack([np.stack([-x, y, z], axis=-1) for x, y, z in faces])
    return directions / np.linalg.norm(directions, axis=-1, keepdims=True)


def spread(count: int) -> tuple[Floats, Floats]:
    """Hammersley's points: two numbers from 0 to 1 for each of count, a power of two."""
    bits = count.bit_length() - 1
    number = np.arange(count)
    turned = sum(((number >> bit) & 1) << (bits - 1 - bit) for bit in range(bits))
    return (number + 0.5) / count, np.asarray(turned) / count


def lobe(roughness: float, count: int) -> tuple[Floats, Floats]:
    """Directions about +Z, (count, 3), and their weights, (count,): what a surface seen from above mirrors.

    GGX halves by visible normals (Heitz, JCGT 7.4, 2018) with alpha = roughness^2; roughness 0 is as soft as SOFT.
    """
    u, v = spread(count)
    around = 2 * np.pi * v
    if roughness:
        alpha2 = roughness**4
        half = np.sqrt((1 - u) / (1 - u + alpha2 * u))
        up = 2 * half**2 - 1
    else:
        up = np.cos(SOFT * np.sqrt(-2 * np.log(u)))
    side = np.sqrt(np.maximum(0, 1 - up**2))
    return np.stack([side * np.cos(around), side * np.sin(around), up], axis=-1), np.maximum(up, 0)


def filtered(level: int, rays: int, sky: str = SKY, panels: tuple[Panel, ...] = PANELS) -> Floats:
    """A level of the cube, (6, edge, edge, 3) linear: for each direction what is mirrored about it, by so many rays.

    Of the last level L, level n is for the roughness 1 - sqrt(1 - n / L), as three.js reads it.
    """
    directions = texels(EDGE >> level)
    about, weight = lobe(1 - np.sqrt(1 - level / (LEVELS - 1)), rays)
    across = np.where(np.abs(directions[..., 2:]) < 0.9, [0.0, 0.0, 1.0], [1.0, 0.0, 0.0])
    x = np.cross(across, directions)
    x /= np.linalg.norm(x, axis=-1, keepdims=True)
    y = np.cross(directions, x)
    total = np.zeros(directions.shape)
    for (a, b, c), share in zip(about, weight, strict=True):
        if share:
            total += share * seen(a * x + b * y + c * directions, sky, panels)
    return total / weight.sum()


def packed(rays: int = 1024) -> bytes:
    """All levels, sharpest first, each with its six faces: half floats RGBA, little-endian, rows from the top."""
    out = []
    for level in range(LEVELS):
        light = filtered(level, rays)
        out.append(np.concatenate([light, np.ones((*light.shape[:-1], 1))], axis=-1).astype("<f2").tobytes())
    return b"".join(out)


if __name__ == "__main__":
    WRITTEN.write_bytes(packed())

"""What a texture shows by its texels alone: normals, heights or masks, or colours. Names may lie; these seldom do."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from pruxel.core.base.arrays import ByteArray, FloatArray

Shown = Literal[
    "normals", "flat normals", "two components of normals", "normals of the whole model",
    "one colour", "one value", "a mask", "colours",
]  # fmt: skip
_SIDE = 256  # texels a side that are looked at: the rest of a texture is like them
_UNIT = 0.2  # how far from 1 the length of a normal may be, after packing in blocks
_MOST = 0.97  # the share of the texels that must agree
_MANY = 0.85  # that where packing in blocks spoils some
_MIDDLE = 24.0  # how far from 127.5 the mean of a component of normals may lie
_STILL = 3.0  # the deviation of a channel that says nothing
_ALIVE = 1.5  # that of one that does


@dataclass(frozen=True)
class Likeness:
    """What is shown; of two components, the channels (`red`, `green`, `blue`, `alpha`) that hold right and up."""

    shows: Shown
    right: str = "red"
    up: str = "green"


def likeness(rgba: ByteArray) -> Likeness:
    """Tell what a texture (height, width, 4) uint8 shows.

    Normals are of unit length and look out of the surface; those of the whole model look everywhere. Of two
    components, right and up lie about the middle and within the unit circle while the other channels are still; they
    stand in red and green, or in alpha and green. What has one value in all channels is a mask where nearly all of it
    is black or white.
    """
    height, width = rgba.shape[:2]
    some = rgba[:: max(height // _SIDE, 1), :: max(width // _SIDE, 1)].reshape(-1, 4).astype(np.float32)
    red, green, blue, alpha = some.T
    out = some[:, :3] / 127.5 - 1
    unit = np.abs(np.linalg.norm(out, axis=1) - 1) <= _UNIT
    moves = float(some[:, :3].std(axis=0).max()) > _ALIVE
    if _agree(unit & (out[:, 2] > 0), _MANY) and _middle(red) and _middle(green):
        return Likeness("normals" if moves else "flat normals")
    if not moves and not float(alpha.std()) > _ALIVE:
        return Likeness("one colour")
    if _agree(np.abs(red - green) <= 2) and _agree(np.abs(green - blue) <= 2):
        if _components(alpha, green):
            return Likeness("two components of normals", "alpha", "green")
        return Likeness("a mask" if _agree((red <= 16) | (red >= 239)) else "one value")
    if blue.std() <= _STILL and _components(red, green):
        return Likeness("two components of normals")
    if max(red.std(), blue.std()) <= _STILL and _components(alpha, green):
        return Likeness("two components of normals", "alpha", "green")
    # Of a whole model as many look one way as the other.
    if _agree(unit, _MANY) and all(map(_middle, (red, green, blue))) and float(some[:, :3].std(axis=0).min()) > _STILL:
        return Likeness("normals of the whole model")
    return Likeness("colours")


def _components(right: FloatArray, up: FloatArray) -> bool:
    within = (right / 127.5 - 1) ** 2 + (up / 127.5 - 1) ** 2 <= 1.02
    alive = min(right.std(), up.std()) > _ALIVE
    return bool(alive) and _middle(right) and _middle(up) and _agree(within)


def _middle(channel: FloatArray) -> bool:
    return bool(abs(channel.mean() - 127.5) <= _MIDDLE)


def _agree(those: np.ndarray, share: float = _MOST) -> bool:
    return bool(those.mean() >= share)

"""Pictures laid over each other and coloured by masks, in display values."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Literal

import numpy as np

from pruxel.core.base.arrays import AnyArray, ByteArray, frozen

Blend = Literal["over", "multiplied", "added", "screened", "overlaid", "normals added"]
Rgb = tuple[float, float, float]


def tinted(rgba: ByteArray, mask: ByteArray, colors: Sequence[Rgb | None]) -> ByteArray:
    """The picture (height, width, 4) multiplied by a colour (0 to 1) where each channel of the mask says so.

    mask: (height, width, 4) uint8, one colour for each of its channels, None where a channel colours nothing.
    """
    rgb = rgba[..., :3].astype(np.float32)
    for channel, color in enumerate(colors):
        if color is not None:
            share = mask[..., channel, None].astype(np.float32) / 255
            rgb *= 1 - share + share * np.array(color, np.float32)
    made = rgba.copy()
    made[..., :3] = np.rint(rgb)
    return frozen(made)


def layered(lower: ByteArray, upper: ByteArray, share: AnyArray, blend: Blend) -> ByteArray:
    """Two pictures (height, width, 4) as one; share (height, width), 0 to 1, is how much of the upper one is seen.

    Blends are those of W3C Compositing and Blending Level 1, section 10; the alpha of the lower one grows where the
    upper one lies over it.
    """
    if blend == "normals added":
        return _normals_added(lower, upper, share)
    below, above = lower[..., :3].astype(np.float32) / 255, upper[..., :3].astype(np.float32) / 255
    seen = share[..., None]
    made = np.empty_like(lower)
    made[..., :3] = np.rint(np.clip(below + (_BLENDS[blend](below, above) - below) * seen, 0, 1) * 255)
    alpha = lower[..., 3].astype(np.float32) / 255
    grown = alpha + share * (1 - alpha) if blend == "over" else alpha
    made[..., 3] = np.rint(grown * 255)
    return frozen(made)


def _overlaid(below: AnyArray, above: AnyArray) -> AnyArray:
    return np.where(below <= 0.5, 2 * below * above, 1 - 2 * (1 - below) * (1 - above))


_BLENDS: dict[str, Callable[[AnyArray, AnyArray], AnyArray]] = {
    "over": lambda _below, above: above,
    "multiplied": lambda below, above: below * above,
    "added": lambda below, above: below + above,
    "screened": lambda below, above: below + above - below * above,
    "overlaid": _overlaid,
}


def _normals_added(lower: ByteArray, upper: ByteArray, share: AnyArray) -> ByteArray:
    """A detail's normals on those of a surface (C. Barré-Brisebois and S. Hill, Blending in Detail, 2012)."""
    base = lower[..., :3].astype(np.float32) / 127.5 - 1
    detail = upper[..., :3].astype(np.float32) / 127.5 - 1
    detail[..., :2] *= share[..., None]
    detail[..., 2] = np.sqrt(np.maximum(1 - (detail[..., :2] ** 2).sum(axis=-1), 0))
    t = base + np.array([0, 0, 1], np.float32)
    u = detail * np.array([-1, -1, 1], np.float32)
    whole = t * ((t * u).sum(axis=-1, keepdims=True) / np.maximum(t[..., 2:], 1e-3)) - u
    whole /= np.maximum(np.linalg.norm(whole, axis=-1, keepdims=True), 1e-6)
    made = lower.copy()
    made[..., :3] = np.rint((whole + 1) * 127.5)
    return frozen(made)

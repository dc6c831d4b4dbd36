"""What every decoder returns and every encoder takes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import AnyArray, ByteArray, FloatArray
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.base.limits import Limits


@dataclass(frozen=True)
class ImageInfo:
    """What a header says: size in texels, the name of the encoding, whether alpha and mips are stored."""

    width: int
    height: int
    encoding: str
    has_alpha: bool
    mips: int = 1


@dataclass(frozen=True, eq=False)
class Pixels:
    """Decoded texels: (height, width, 4) uint8 RGBA, top row first; colour encoding as stored."""

    rgba: ByteArray
    info: ImageInfo


def check_size(name: str, width: int, height: int, limits: Limits) -> None:
    """Raise `InputError` for an image with no texels or more than the budget."""
    if not 0 < width <= limits.image_side or not 0 < height <= limits.image_side:
        raise InputError(
            ErrorCode.MALFORMED,
            "the image's size is implausible",
            file=name,
            expected=f"1 to {limits.image_side} texels a side",
            found=f"{width} x {height}",
            hint="The header may be damaged or of another format.",
        )


def texels_at(texels: AnyArray, uv: FloatArray) -> FloatArray:
    """(n, c) float32 from 0 to 1: the texels (h, w, c) uint8 at places (n, 2), bilinear, repeating, origin top left."""
    height, width = texels.shape[:2]
    x, y = uv[:, 0] * width - 0.5, uv[:, 1] * height - 0.5
    x0, y0 = np.floor(x).astype(np.int64), np.floor(y).astype(np.int64)
    fx, fy = (x - x0)[:, None], (y - y0)[:, None]
    left, right, top, low = x0 % width, (x0 + 1) % width, y0 % height, (y0 + 1) % height
    upper = texels[top, left] * (1 - fx) + texels[top, right] * fx
    lower = texels[low, left] * (1 - fx) + texels[low, right] * fx
    result: FloatArray = ((upper * (1 - fy) + lower * fy) / 255.0).astype(np.float32)
    return result

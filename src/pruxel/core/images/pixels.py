"""What every decoder returns and every encoder takes."""

from __future__ import annotations

from dataclasses import dataclass

from pruxel.core.base.arrays import ByteArray
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

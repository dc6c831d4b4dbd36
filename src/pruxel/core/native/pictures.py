"""Everyday picture files through Pillow."""

from __future__ import annotations

import io
import warnings
from struct import error as struct_error

import numpy as np
from PIL import Image

from pruxel.core.base.arrays import ByteArray
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.base.limits import Limits
from pruxel.core.images.pixels import ImageInfo, Pixels, check_size

_SIXTEEN_BITS = {"I;16", "I;16B", "I;16L", "I"}


def _open(data: memoryview, name: str, format_name: str) -> Image.Image:
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            return Image.open(io.BytesIO(data), formats=[format_name])
    except (OSError, SyntaxError, ValueError, Image.DecompressionBombError) as error:
        raise InputError(
            ErrorCode.MALFORMED, f"this is not a readable {format_name} image ({error})", file=name
        ) from error


def _info(image: Image.Image, format_name: str) -> ImageInfo:
    palette = image.palette.mode if image.mode == "P" and image.palette is not None else ""
    alpha = image.mode in {"RGBA", "LA", "PA"} or "A" in palette or "transparency" in image.info
    return ImageInfo(image.width, image.height, format_name, alpha)


def info(data: memoryview, name: str, format_name: str, limits: Limits) -> ImageInfo:
    """Read the header only."""
    image = _open(data, name, format_name)
    check_size(name, image.width, image.height, limits)
    return _info(image, format_name)


def decode(data: memoryview, name: str, format_name: str, limits: Limits) -> Pixels:
    """Decode to RGBA; raises `InputError` for damaged data."""
    image = _open(data, name, format_name)
    check_size(name, image.width, image.height, limits)
    described = _info(image, format_name)
    try:
        if image.mode in _SIXTEEN_BITS:
            # Pillow would cut such greys off at 255 rather than scale them.
            grey = (np.asarray(image, np.float64) / 65535 * 255).clip(0, 255).round().astype(np.uint8)
            image = Image.fromarray(grey)
        rgba: ByteArray = np.asarray(image.convert("RGBA"))
    except (OSError, SyntaxError, ValueError, IndexError, struct_error) as error:
        raise InputError(ErrorCode.TRUNCATED, f"the image's data is damaged ({error})", file=name) from error
    return Pixels(rgba, described)

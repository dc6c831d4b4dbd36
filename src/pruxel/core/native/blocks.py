"""Block-compressed texels through imagecodecs."""

from __future__ import annotations

import imagecodecs
import numpy as np

from pruxel.core.base.arrays import ByteArray
from pruxel.core.base.errors import ErrorCode, InputError

_CHANNELS = {"BC1": 4, "BC2": 4, "BC3": 4, "BC4": 1, "BC5": 2, "BC7": 4}


def decode_blocks(body: memoryview, encoding: str, width: int, height: int, name: str) -> ByteArray:
    """Decode to (height, width, 4) uint8; BC4 becomes grey, BC5 a normal map with its third channel rebuilt."""
    wide, high = (width + 3) // 4 * 4, (height + 3) // 4 * 4
    channels = _CHANNELS[encoding]
    out = np.empty((high, wide, channels) if channels > 1 else (high, wide), np.uint8)
    try:
        imagecodecs.bcn_decode(body, int(encoding[2]), out=out)  # type: ignore[arg-type] # takes any buffer
    except imagecodecs.BcnError as error:
        raise InputError(ErrorCode.MALFORMED, f"the {encoding} blocks do not decode ({error})", file=name) from error
    texels = out[:height, :width]
    if channels == 4:
        return np.ascontiguousarray(texels)
    rgba = np.full((height, width, 4), 255, np.uint8)
    if channels == 1:
        rgba[..., :3] = texels[..., None]
        return rgba
    xy = texels.astype(np.float32) * np.float32(2 / 255) - 1
    z = np.sqrt(np.maximum(0.0, 1.0 - (xy * xy).sum(axis=2)))
    rgba[..., :2] = texels
    rgba[..., 2] = (z * 127.5 + 127.5 + 0.5).astype(np.uint8)
    return rgba

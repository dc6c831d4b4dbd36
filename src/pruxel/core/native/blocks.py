"""Block-compressed texels: decoded through imagecodecs and `blocks_child`, encoded through etcpak."""

from __future__ import annotations

import sys

import etcpak
import imagecodecs
import numpy as np

from pruxel.core.base.arrays import AnyArray, ByteArray
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.native.processes import NoAnswer, answer_of

_CHANNELS = {"BC1": 4, "BC2": 4, "BC3": 4, "BC4": 1, "BC5": 2, "BC6": 3, "BC7": 4}
_SMALL = {"BC1", "BC4", "ETC1", "ETC2", "ETC2A1", "EAC1"}
# What phones' textures are packed by; the decoder's texels are blue, green, red, alpha.
_OTHERS = {"ETC1", "ETC2", "ETC2A1", "ETC2A8", "EAC1", "EAC2", "BC6"}
_FINEST = 4


def block_size(encoding: str) -> tuple[int, int]:
    """Texels of a block across and down: 4 by 4, or what ASTC says of itself."""
    if encoding.startswith("ASTC "):
        wide, _, high = encoding.removeprefix("ASTC ").partition("x")
        return int(wide), int(high)
    return 4, 4


def block_bytes(encoding: str, width: int, height: int) -> int:
    """The bytes of a level in blocks."""
    wide, high = block_size(encoding)
    return -(-width // wide) * -(-height // high) * (8 if encoding in _SMALL else 16)


def decode_blocks(body: memoryview, encoding: str, width: int, height: int, name: str) -> ByteArray:
    """Decode to (height, width, 4) uint8; BC4 becomes grey, BC5 a normal map with its third channel rebuilt."""
    if encoding in _OTHERS or encoding.startswith("ASTC "):
        return _by_others(body, encoding, width, height, name)
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


def _by_others(body: memoryview, encoding: str, width: int, height: int, name: str) -> ByteArray:
    needed = block_bytes(encoding, width, height)
    if len(body) < needed:
        raise InputError(ErrorCode.TRUNCATED, f"the {encoding} blocks are cut off", file=name)
    command = [sys.executable, "-m", "pruxel.core.native.blocks_child", encoding, str(width), str(height)]
    try:
        flat = answer_of(command, body[:needed])
        rgba = np.frombuffer(flat, np.uint8).reshape(height, width, 4)[..., [2, 1, 0, 3]]
    except (NoAnswer, ValueError) as error:
        raise InputError(ErrorCode.MALFORMED, f"the {encoding} blocks do not decode ({error})", file=name) from None
    if encoding == "EAC1":
        rgba[..., 1] = rgba[..., 2] = rgba[..., 0]
    return rgba


def encode_blocks(rgba: AnyArray, encoding: str) -> bytes:
    """Blocks of (height, width, 4) uint8 as BC1, BC3, BC4 (of red), BC5 (of red and green) or BC7.

    Sizes that are no multiple of 4 are filled up by repeating their last row and column.
    """
    height, width = rgba.shape[:2]
    full = np.pad(rgba, ((0, -height % 4), (0, -width % 4), (0, 0)), mode="edge")
    size = full.shape[1], full.shape[0]
    body = np.ascontiguousarray(full).tobytes()
    if encoding == "BC7":
        how = etcpak.BC7CompressBlockParams()
        how.m_uber_level = 0
        return bytes(etcpak.compress_bc7(body, *size, how))
    return bytes(getattr(etcpak, f"compress_{encoding.lower()}")(body, *size))

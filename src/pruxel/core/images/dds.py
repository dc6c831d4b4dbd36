"""DDS: the container of block-compressed textures.

Source: Microsoft, "Programming Guide for DDS" (DDS_HEADER, DDS_PIXELFORMAT, DDS_HEADER_DXT10).
"""

from __future__ import annotations

import struct
from dataclasses import dataclass, replace

import numpy as np

from pruxel.core.base.arrays import ByteArray
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.base.limits import Limits
from pruxel.core.images.pixels import ImageInfo, Pixels, check_size
from pruxel.core.native.blocks import block_bytes, decode_blocks

MAGIC = b"DDS "
HEADER_BYTES = 128
_HAS_FOURCC, _HAS_ALPHA = 0x4, 0x1

_BY_FOURCC = {
    b"DXT1": "BC1",
    b"DXT2": "BC2",
    b"DXT3": "BC2",
    b"DXT4": "BC3",
    b"DXT5": "BC3",
    b"ATI1": "BC4",
    b"BC4U": "BC4",
    b"ATI2": "BC5",
    b"BC5U": "BC5",
}
_BY_DXGI = {
    **dict.fromkeys((70, 71, 72), "BC1"),
    **dict.fromkeys((73, 74, 75), "BC2"),
    **dict.fromkeys((76, 77, 78), "BC3"),
    **dict.fromkeys((79, 80), "BC4"),
    **dict.fromkeys((82, 83), "BC5"),
    **dict.fromkeys((94, 95, 96), "BC6"),
    **dict.fromkeys((97, 98, 99), "BC7"),
    **dict.fromkeys((27, 28, 29), "RGBA8"),
    **dict.fromkeys((87, 90, 91), "BGRA8"),
    61: "R8",
    49: "RG8",
}
_BLOCKS = {"BC1", "BC2", "BC3", "BC4", "BC5", "BC6", "BC7"}
_PLAIN_BYTES = {"RGBA8": 4, "BGRA8": 4, "R8": 1, "RG8": 2}


@dataclass(frozen=True)
class _Header:
    info: ImageInfo
    start: int
    masks: tuple[int, int, int, int] = (0, 0, 0, 0)
    bits: int = 0


def _unknown(name: str, found: str) -> InputError:
    return InputError(
        ErrorCode.UNKNOWN_FORMAT,
        "the texture's encoding is not one that can be decoded",
        file=name,
        offset=84,
        expected="BC1 to BC7 or plain 8-bit channels",
        found=found,
        hint="The geometry goes on without it; extract the raw file to look at it elsewhere.",
    )


def _parse_header(data: memoryview, name: str, limits: Limits) -> _Header:
    if len(data) < HEADER_BYTES:
        raise InputError(
            ErrorCode.TRUNCATED,
            "the DDS header is cut off",
            file=name,
            offset=len(data),
            expected=f"{HEADER_BYTES} bytes",
            found=f"{len(data)} bytes",
        )
    height, width = struct.unpack_from("<II", data, 12)
    (mips,) = struct.unpack_from("<I", data, 28)
    flags, fourcc, bits = struct.unpack_from("<I4sI", data, 80)
    masks = struct.unpack_from("<4I", data, 92)
    check_size(name, width, height, limits)
    mips = max(1, min(mips, 16))
    if not flags & _HAS_FOURCC:
        if bits not in {8, 16, 24, 32}:
            raise _unknown(name, f"{bits} bits a texel")
        info = ImageInfo(width, height, f"plain {bits} bit", bool(flags & _HAS_ALPHA), mips)
        used = masks if flags & _HAS_ALPHA else (*masks[:3], 0)
        return _Header(info, HEADER_BYTES, used, bits)
    start, encoding = HEADER_BYTES, _BY_FOURCC.get(fourcc)
    if fourcc == b"DX10":
        if len(data) < HEADER_BYTES + 20:
            raise InputError(ErrorCode.TRUNCATED, "the DDS header is cut off", file=name)
        (dxgi,) = struct.unpack_from("<I", data, HEADER_BYTES)
        start, encoding = HEADER_BYTES + 20, _BY_DXGI.get(dxgi)
        if encoding is None:
            raise _unknown(name, f"DXGI format {dxgi}")
    if encoding is None:
        raise _unknown(name, f"four-character code {fourcc!r}")
    alpha = encoding in {"BC1", "BC2", "BC3", "BC7", "RGBA8", "BGRA8"}
    return _Header(ImageInfo(width, height, encoding, alpha, mips), start)


def info(data: memoryview, name: str, limits: Limits) -> ImageInfo:
    """Read the header only."""
    return _parse_header(data, name, limits).info


def decode(data: memoryview, name: str, limits: Limits, level: int = 0) -> Pixels:
    """Decode one mip of the first face, 0 being the largest.

    BC5 holds two channels of a normal map; the third is rebuilt as the root of 1 - x² - y². Raises `InputError` for
    a mip that is not there.
    """
    header = _parse_header(data, name, limits)
    encoding = header.info.encoding
    if not 0 <= level < max(header.info.mips, 1):
        raise InputError(
            ErrorCode.NOT_FOUND,
            "the texture has no such mip",
            file=name,
            expected=f"0 to {max(header.info.mips, 1) - 1}",
            found=str(level),
        )
    texel = _PLAIN_BYTES.get(encoding, header.bits // 8)
    start = header.start + sum(_mip_bytes(header.info, texel, above) for above in range(level))
    size = replace(header.info, width=max(header.info.width >> level, 1), height=max(header.info.height >> level, 1))
    body = _body(data, start, _mip_bytes(header.info, texel, level), name)
    if encoding in _BLOCKS:
        return Pixels(decode_blocks(body, encoding, size.width, size.height, name), size)
    raw = np.frombuffer(body, np.uint8).reshape(size.height, size.width, texel)
    if encoding in _PLAIN_BYTES:
        return Pixels(_plain(raw, encoding), size)
    return Pixels(_masked(raw, header.masks), size)


def _mip_bytes(info: ImageInfo, texel: int, level: int) -> int:
    width, height = max(info.width >> level, 1), max(info.height >> level, 1)
    if info.encoding in _BLOCKS:
        return block_bytes(info.encoding, width, height)
    return width * height * texel


def _body(data: memoryview, start: int, count: int, name: str) -> memoryview:
    if len(data) < start + count:
        raise InputError(
            ErrorCode.TRUNCATED,
            "the texture's data is cut off",
            file=name,
            offset=len(data),
            expected=f"{count:,} bytes from byte {start}",
            found=f"{max(len(data) - start, 0):,}",
        )
    return data[start : start + count]


def _plain(raw: ByteArray, encoding: str) -> ByteArray:
    rgba = np.full((*raw.shape[:2], 4), 255, np.uint8)
    if encoding == "RGBA8":
        return raw
    if encoding == "BGRA8":
        return raw[..., [2, 1, 0, 3]]
    if encoding == "R8":
        rgba[..., :3] = raw
        return rgba
    rgba[..., :2] = raw
    rgba[..., 2] = 0
    return rgba


def _masked(raw: ByteArray, masks: tuple[int, int, int, int]) -> ByteArray:
    """Channels by bit masks; a mask of no bits means 255 (a single red mask means grey)."""
    height, width, texel = raw.shape
    values = np.zeros((height, width), np.uint32)
    for byte in range(texel):
        values |= raw[..., byte].astype(np.uint32) << np.uint32(8 * byte)
    rgba = np.full((height, width, 4), 255, np.uint8)
    for channel, mask in enumerate(masks):
        if mask:
            low = (mask & -mask).bit_length() - 1
            top = mask >> low
            picked = (values & np.uint32(mask)) >> np.uint32(low)
            rgba[..., channel] = (picked.astype(np.float64) * 255.0 / top + 0.5).astype(np.uint8)
    if masks[0] and not masks[1] and not masks[2]:
        rgba[..., 1] = rgba[..., 2] = rgba[..., 0]
    return rgba

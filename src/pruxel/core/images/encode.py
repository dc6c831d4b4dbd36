"""Pictures out: PNG, JPEG, TGA, WebP, and DDS in blocks with all its mips."""

from __future__ import annotations

import io
import struct
from collections.abc import Callable, Iterator
from typing import Literal

import imagecodecs
import numpy as np
from PIL import Image

from pruxel.core.base.arrays import ByteArray
from pruxel.core.images import png
from pruxel.core.native.blocks import encode_blocks

Encoding = Literal["png", "jpeg", "tga", "webp", "dds", "dds-bc7"]
ENDINGS: dict[str, str] = {
    "image/png": ".png",
    "image/jpeg": ".jpg",
    "image/x-tga": ".tga",
    "image/webp": ".webp",
    "image/vnd-ms.dds": ".dds",
}
_MEDIA = {
    "png": "image/png",
    "jpeg": "image/jpeg",
    "tga": "image/x-tga",
    "webp": "image/webp",
    "dds": "image/vnd-ms.dds",
    "dds-bc7": "image/vnd-ms.dds",
}
_JPEG_QUALITY = 92
# Flags of a DDS head: caps, height, width, pixel format, mip count, linear size (Microsoft, DDS_HEADER).
_DDS_FLAGS, _MIPMAPPED = 0x1 | 0x2 | 0x4 | 0x1000 | 0x20000 | 0x80000, 0x8 | 0x1000 | 0x400000
_FOURCC = {"BC1": b"DXT1", "BC3": b"DXT5", "BC4": b"ATI1", "BC5": b"ATI2", "BC7": b"DX10"}
_DXGI_BC7 = 98


def encode(rgba: ByteArray, encoding: Encoding) -> tuple[str, bytes]:
    """The media type and the bytes of (height, width, 4) uint8.

    JPEG has no alpha: what is not opaque becomes PNG in its place. DDS is BC1 where it is opaque and BC3 where not,
    which every program reads, or BC7, which shows finer and which newer ones read.
    """
    if encoding == "jpeg" and not opaque(rgba):
        encoding = "png"
    return _MEDIA[encoding], _ENCODERS[encoding](rgba)


def opaque(rgba: ByteArray) -> bool:
    """Whether nothing shines through."""
    return bool((rgba[..., 3] == 255).all())


def _jpeg(rgba: ByteArray) -> bytes:
    out = io.BytesIO()
    Image.fromarray(np.ascontiguousarray(rgba[..., :3])).save(out, "JPEG", quality=_JPEG_QUALITY, subsampling=0)
    return out.getvalue()


def _tga(rgba: ByteArray) -> bytes:
    out = io.BytesIO()
    Image.fromarray(np.ascontiguousarray(rgba[..., :3] if opaque(rgba) else rgba)).save(
        out, "TGA", compression="tga_rle"
    )
    return out.getvalue()


def _webp(rgba: ByteArray) -> bytes:
    return bytes(imagecodecs.webp_encode(np.ascontiguousarray(rgba), lossless=True))


def _dds(rgba: ByteArray) -> bytes:
    return dds(rgba, "BC1" if opaque(rgba) else "BC3")


def dds(rgba: ByteArray, blocks: str) -> bytes:
    """A texture in blocks (BC1, BC3, BC4, BC5, BC7) with all its mips down to one texel."""
    levels = list(mips(rgba))
    bodies = [encode_blocks(level, blocks) for level in levels]
    height, width = rgba.shape[:2]
    head = struct.pack("<4s7I44x", b"DDS ", 124, _DDS_FLAGS, height, width, len(bodies[0]), 0, len(levels))
    head += struct.pack("<II4s5I", 32, 0x4, _FOURCC[blocks], 0, 0, 0, 0, 0)
    head += struct.pack("<5I", _MIPMAPPED, 0, 0, 0, 0)
    if blocks == "BC7":
        head += struct.pack("<5I", _DXGI_BC7, 3, 0, 1, 0)
    return head + b"".join(bodies)


def mips(rgba: ByteArray) -> Iterator[ByteArray]:
    """The picture and its halves, down to one texel."""
    yield rgba
    while max(rgba.shape[:2]) > 1:
        rgba = resized(rgba, max(rgba.shape[1] // 2, 1), max(rgba.shape[0] // 2, 1))
        yield rgba


def resized(rgba: ByteArray, width: int, height: int) -> ByteArray:
    """The picture at another size, each channel on its own: alpha may be anything, not only a veil."""
    if rgba.shape[:2] == (height, width):
        return rgba
    larger = width >= rgba.shape[1] and height >= rgba.shape[0]
    way = Image.Resampling.BILINEAR if larger else Image.Resampling.BOX
    planes = [Image.fromarray(np.ascontiguousarray(rgba[..., k])).resize((width, height), way)
              for k in range(rgba.shape[2])]  # fmt: skip
    return np.stack([np.asarray(plane) for plane in planes], axis=2)


def within(rgba: ByteArray, largest: int) -> ByteArray:
    """The picture made smaller where a side is longer than that, its sides in proportion."""
    height, width = rgba.shape[:2]
    if max(height, width) <= largest:
        return rgba
    share = largest / max(height, width)
    return resized(rgba, max(round(width * share), 1), max(round(height * share), 1))


_ENCODERS: dict[str, Callable[[ByteArray], bytes]] = {
    "png": png.encode,
    "jpeg": _jpeg,
    "tga": _tga,
    "webp": _webp,
    "dds": _dds,
    "dds-bc7": lambda rgba: dds(rgba, "BC7"),
}

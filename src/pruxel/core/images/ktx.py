"""KTX and KTX2: containers of textures as graphics programs take them.

Sources: Khronos, "KTX File Format Specification" 1.1 and 2.0; numbers of formats by OpenGL and Vulkan.
"""

from __future__ import annotations

import struct
import zlib
from dataclasses import dataclass

import numpy as np
import zstandard

from pruxel.core.base.arrays import ByteArray
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.base.limits import Limits
from pruxel.core.images.pixels import ImageInfo, Pixels, check_size
from pruxel.core.native.basis import transcoded
from pruxel.core.native.blocks import block_bytes, decode_blocks

MAGIC_1, MAGIC_2 = b"\xabKTX 11\xbb\r\n\x1a\n", b"\xabKTX 20\xbb\r\n\x1a\n"
_HEAD_1, _HEAD_2 = 64, 80
_ASTC = ("4x4", "5x4", "5x5", "6x5", "6x6", "8x5", "8x6", "8x8", "10x5", "10x6", "10x8", "10x10", "12x10", "12x12")
_PLAIN = {"R8": 1, "RG8": 2, "RGB8": 3, "RGBA8": 4, "BGRA8": 4}
_OPAQUE = {"R8", "RG8", "RGB8", "BC4", "BC5", "BC6", "ETC1", "ETC2", "EAC1", "EAC2"}


def _numbered(*runs: tuple[int, int, str]) -> dict[int, str]:
    return {number: name for first, last, name in runs for number in range(first, last + 1)}


_BY_VULKAN = _numbered(
    (9, 9, "R8"), (15, 15, "R8"), (16, 16, "RG8"), (22, 22, "RG8"), (23, 23, "RGB8"), (29, 29, "RGB8"),
    (37, 37, "RGBA8"), (43, 43, "RGBA8"), (44, 44, "BGRA8"), (50, 50, "BGRA8"), (131, 134, "BC1"), (135, 136, "BC2"),
    (137, 138, "BC3"), (139, 139, "BC4"), (141, 141, "BC5"), (143, 143, "BC6"), (145, 146, "BC7"), (147, 148, "ETC2"),
    (149, 150, "ETC2A1"), (151, 152, "ETC2A8"), (153, 153, "EAC1"), (155, 155, "EAC2"),
    *((157 + 2 * k, 158 + 2 * k, f"ASTC {size}") for k, size in enumerate(_ASTC)),
)  # fmt: skip
_BY_OPENGL = _numbered(
    (0x8229, 0x8229, "R8"), (0x822B, 0x822B, "RG8"), (0x8051, 0x8051, "RGB8"), (0x8C41, 0x8C41, "RGB8"),
    (0x8058, 0x8058, "RGBA8"), (0x8C43, 0x8C43, "RGBA8"), (0x1903, 0x1903, "R8"), (0x8227, 0x8227, "RG8"),
    (0x1907, 0x1907, "RGB8"), (0x1908, 0x1908, "RGBA8"), (0x80E1, 0x80E1, "BGRA8"), (0x1909, 0x1909, "R8"),
    (0x83F0, 0x83F1, "BC1"), (0x83F2, 0x83F2, "BC2"), (0x83F3, 0x83F3, "BC3"), (0x8C4C, 0x8C4D, "BC1"),
    (0x8C4E, 0x8C4E, "BC2"), (0x8C4F, 0x8C4F, "BC3"), (0x8DBB, 0x8DBB, "BC4"), (0x8DBD, 0x8DBD, "BC5"),
    (0x8E8C, 0x8E8D, "BC7"), (0x8E8F, 0x8E8F, "BC6"), (0x8D64, 0x8D64, "ETC1"), (0x9274, 0x9275, "ETC2"),
    (0x9276, 0x9277, "ETC2A1"), (0x9278, 0x9279, "ETC2A8"), (0x9270, 0x9270, "EAC1"), (0x9272, 0x9272, "EAC2"),
    *((base + k, base + k, f"ASTC {size}") for base in (0x93B0, 0x93D0) for k, size in enumerate(_ASTC)),
)  # fmt: skip


@dataclass(frozen=True)
class _Header:
    """What a head says: the picture, where its largest level lies, packed by what, and to what size it unpacks."""

    info: ImageInfo
    start: int
    length: int
    packing: int = 0
    row_step: int = 1


def begins(head: bytes) -> bool:
    """Whether first bytes are of one of the two containers."""
    return head.startswith((MAGIC_1, MAGIC_2))


def _parse(data: memoryview, name: str, limits: Limits) -> _Header:
    second = bytes(data[:12]) == MAGIC_2
    size = _HEAD_2 + 24 if second else _HEAD_1 + 4
    if len(data) < size:
        raise InputError(
            ErrorCode.TRUNCATED, "the head of the texture is cut off", file=name, offset=len(data),
            expected=f"{size} bytes", found=f"{len(data)} bytes",
        )  # fmt: skip
    return _second(data, name, limits) if second else _first(data, name, limits)


def _first(data: memoryview, name: str, limits: Limits) -> _Header:
    order = "<" if bytes(data[12:16]) == b"\x01\x02\x03\x04" else ">"
    kind, _, form, internal, _, width, height, _, _, _, mips, about = struct.unpack_from(f"{order}12I", data, 16)
    check_size(name, width, height, limits)
    encoding = _BY_OPENGL.get(internal)
    # Whole bytes a channel; a sized format tells what the unsized one means.
    if form and kind != 0x1401:
        encoding = None
    if encoding is None:
        raise _unknown(name, f"OpenGL format 0x{internal:04X}" + (f", type 0x{kind:04X}" if form else ""))
    start = _HEAD_1 + min(about, len(data)) + 4
    if len(data) < start:
        raise InputError(ErrorCode.TRUNCATED, "the texture has no levels", file=name, offset=len(data))
    (length,) = struct.unpack_from(f"{order}I", data, start - 4)
    return _Header(_info(width, height, encoding, mips), start, length, row_step=4)


def _second(data: memoryview, name: str, limits: Limits) -> _Header:
    number, _, width, height, _, _, _, mips, packing = struct.unpack_from("<9I", data, 12)
    check_size(name, width, height, limits)
    encoding = _BY_VULKAN.get(number)
    start, length, _ = struct.unpack_from("<3Q", data, _HEAD_2)
    if number == 0 or packing == 1:
        encoding = "Basis"
    if encoding is None or packing > 3:
        raise _unknown(name, f"Vulkan format {number}, packing {packing}")
    return _Header(_info(width, height, encoding, mips), start, length, packing)


def _info(width: int, height: int, encoding: str, mips: int) -> ImageInfo:
    return ImageInfo(width, height, encoding, encoding not in _OPAQUE, max(1, min(mips, 16)))


def _unknown(name: str, found: str) -> InputError:
    return InputError(
        ErrorCode.UNKNOWN_FORMAT,
        "the texture's encoding is not one that can be decoded",
        file=name,
        expected="plain channels of 8 bits, BC1 to BC7, ETC1, ETC2, EAC, ASTC, Basis Universal",
        found=found,
        hint="The geometry goes on without it; extract the raw file to look at it elsewhere.",
    )


def info(data: memoryview, name: str, limits: Limits) -> ImageInfo:
    """Read the header only."""
    return _parse(data, name, limits).info


def decode(data: memoryview, name: str, limits: Limits) -> Pixels:
    """The largest level of the first face; raises `InputError`."""
    header = _parse(data, name, limits)
    width, height, encoding = header.info.width, header.info.height, header.info.encoding
    if encoding == "Basis":
        return Pixels(transcoded(data, width, height, name), header.info)
    if header.start + header.length > len(data):
        raise InputError(
            ErrorCode.TRUNCATED, "the texture's data is cut off", file=name, offset=len(data),
            expected=f"{header.length:,} bytes from byte {header.start:,}", found=f"{len(data):,} bytes in all",
        )  # fmt: skip
    row = _row_bytes(width, encoding, header.row_step)
    needed = row * height if encoding in _PLAIN else block_bytes(encoding, width, height)
    body = _unpacked(data[header.start : header.start + header.length], header.packing, needed, name)
    if encoding not in _PLAIN:
        return Pixels(decode_blocks(body, encoding, width, height, name), header.info)
    flat = np.frombuffer(body, np.uint8, row * height).reshape(height, row)
    return Pixels(_channels(flat[:, : width * _PLAIN[encoding]].reshape(height, width, -1), encoding), header.info)


def _row_bytes(width: int, encoding: str, step: int) -> int:
    return -(-width * _PLAIN.get(encoding, 4) // step) * step


def _unpacked(body: memoryview, packing: int, needed: int, name: str) -> memoryview:
    """The level's bytes, of which no more than are needed are unpacked."""
    found: bytes | memoryview = body
    try:
        if packing == 2:
            found = zstandard.ZstdDecompressor().stream_reader(body).read(needed)
        elif packing == 3:
            found = zlib.decompressobj().decompress(body, needed)
    except (zlib.error, zstandard.ZstdError) as error:
        raise InputError(ErrorCode.MALFORMED, f"the texture's level does not unpack ({error})", file=name) from None
    if len(found) < needed:
        raise InputError(
            ErrorCode.TRUNCATED, "the texture's level is too short", file=name, expected=f"{needed:,} bytes",
            found=f"{len(found):,}",
        )  # fmt: skip
    return memoryview(found)


def _channels(raw: ByteArray, encoding: str) -> ByteArray:
    rgba = np.full((*raw.shape[:2], 4), 255, np.uint8)
    if encoding == "BGRA8":
        return np.ascontiguousarray(raw[..., [2, 1, 0, 3]])
    if encoding == "R8":
        rgba[..., :3] = raw
    elif encoding == "RG8":
        rgba[..., :2], rgba[..., 2] = raw, 0
    else:
        rgba[..., : raw.shape[2]] = raw
    return rgba

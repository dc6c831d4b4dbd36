"""What known formats look like from their first bytes, and how long each says it is.

Each measure is given the bytes and the place of a hit and returns the range (first byte, one after the last), or None
when the header is not plausible. Sources: the public specifications of PNG, JPEG, DDS, KTX, TGA 2.0, glTF 2.0, ZIP,
zlib (RFC 1950), RIFF and Wavefront OBJ.
"""

from __future__ import annotations

import re
import struct
import zlib
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from pruxel.core.sources.kinds import Kind

Span = tuple[int, int] | None
Measure = Callable[[memoryview, int], Span]
_LARGEST = 1 << 31
_SIDE = 32_768


@dataclass(frozen=True)
class Signature:
    """A format that can be found inside other bytes."""

    name: str
    ending: str
    kind: Kind
    pattern: re.Pattern[bytes]
    measure: Measure


def _numbers(form: str, data: memoryview, at: int) -> tuple[Any, ...] | None:
    return struct.unpack_from(form, data, at) if at + struct.calcsize(form) <= len(data) else None


def _png(data: memoryview, at: int) -> Span:
    cursor = at + 8
    while (head := _numbers(">I4s", data, cursor)) is not None:
        size, name = head
        end = cursor + 12 + size
        if end > len(data) or not bytes(name).isalpha():
            return None
        stored = struct.unpack_from(">I", data, end - 4)[0]
        if zlib.crc32(data[cursor + 4 : end - 4]) != stored:
            return None
        if bytes(name) == b"IEND":
            return at, end
        cursor = end
    return None


def _jpeg(data: memoryview, at: int) -> Span:
    cursor, frames = at + 2, 0
    while (head := _numbers(">BBH", data, cursor)) is not None:
        mark, code, size = head
        if mark != 0xFF or size < 2:
            return None
        frames += code in {0xC0, 0xC1, 0xC2}
        cursor += 2 + size
        if code == 0xDA:
            break
    if not frames:
        return None
    window = bytes(data[cursor : cursor + (64 << 20)])
    stop = window.find(b"\xff\xd9")
    return None if stop < 0 else (at, cursor + stop + 2)


_BLOCK_BYTES = {b"DXT1": 8, b"ATI1": 8, b"BC4U": 8, b"DXT3": 16, b"DXT5": 16, b"ATI2": 16, b"BC5U": 16}
_DXGI_BLOCK = {71: 8, 72: 8, 80: 8, 74: 16, 75: 16, 77: 16, 78: 16, 83: 16, 95: 16, 96: 16, 98: 16, 99: 16}


def _dds(data: memoryview, at: int) -> Span:
    head = _numbers("<4sIIIIIII", data, at)
    form = _numbers("<II4sI", data, at + 76)
    if head is None or form is None or head[1] != 124 or form[0] != 32:
        return None
    height, width, mips = head[3], head[4], max(head[7], 1)
    if not (0 < width <= _SIDE and 0 < height <= _SIDE and mips <= 16):
        return None
    start, code = at + 128, bytes(form[2])
    block, bits = _BLOCK_BYTES.get(code), form[3]
    faces = 1
    if code == b"DX10":
        more = _numbers("<IIIII", data, start)
        if more is None:
            return None
        start, block, bits = start + 20, _DXGI_BLOCK.get(more[0]), 32
        faces = max(more[3], 1) * (6 if more[2] & 4 else 1)
    total = 0
    for level in range(mips):
        w, h = max(width >> level, 1), max(height >> level, 1)
        total += -(-w // 4) * -(-h // 4) * block if block else w * h * max(bits, 8) // 8
    end = start + total * min(faces, 4096)
    return (at, end) if end <= len(data) else None


def _ktx1(data: memoryview, at: int) -> Span:
    head = _numbers("<13I", data, at + 12)
    if head is None or head[0] != 0x04030201 or not 0 < head[6] <= _SIDE:
        return None
    cursor = at + 64 + head[12]
    for _ in range(max(head[11], 1)):
        size = _numbers("<I", data, cursor)
        if size is None:
            return None
        cursor += 4 + -(-size[0] * max(head[10], 1) // 4) * 4
    return (at, cursor) if cursor <= len(data) else None


def _ktx2(data: memoryview, at: int) -> Span:
    head = _numbers("<9I", data, at + 12)
    if head is None or not 0 < head[2] <= _SIDE or head[7] > 20:
        return None
    ends = []
    for level in range(max(head[7], 1)):
        place = _numbers("<QQQ", data, at + 80 + 24 * level)
        if place is None:
            return None
        ends.append(place[0] + place[1])
    end = at + max(ends)
    return (at, end) if at < end <= len(data) else None


def _tga(data: memoryview, at: int) -> Span:
    """A TGA is known by its footer; where it began follows from a header whose size comes out exactly there."""
    end = at + 18
    low = max(0, end - (32 << 20))
    window = np.frombuffer(data[low:end], np.uint8)
    starts = np.flatnonzero((window[2:-17] == 2) | (window[2:-17] == 3))
    starts = starts[window[starts + 1] == 0]
    starts = starts[np.isin(window[starts + 16], (8, 16, 24, 32))]
    width = window[starts + 12].astype(np.int64) | (window[starts + 13].astype(np.int64) << 8)
    height = window[starts + 14].astype(np.int64) | (window[starts + 15].astype(np.int64) << 8)
    size = 18 + window[starts] + width * height * (window[starts + 16] // 8) + 26
    fits = starts[(starts + size == len(window)) & (width > 0) & (height > 0)]
    return (low + int(fits[-1]), end) if len(fits) else None


def _glb(data: memoryview, at: int) -> Span:
    head = _numbers("<4sIIII", data, at)
    if head is None or head[1] != 2 or head[4] != 0x4E4F534A or not 20 <= head[2] <= len(data) - at:
        return None
    return at, at + head[2]


def _zip(data: memoryview, at: int) -> Span:
    window = bytes(data[at : at + (256 << 20)])
    cursor = 0
    while (cursor := window.find(b"PK\x05\x06", cursor)) >= 0:
        tail = _numbers("<IIH", data, at + cursor + 12)
        if tail is not None and tail[0] + tail[1] == cursor:
            return at, min(at + cursor + 22 + tail[2], len(data))
        cursor += 4
    return None


def _zlib(data: memoryview, at: int) -> Span:
    worker, cursor, out = zlib.decompressobj(), at, 0
    try:
        while not worker.eof and cursor < len(data):
            out += len(worker.decompress(data[cursor : cursor + 65536], 1 << 22))
            while worker.unconsumed_tail and not worker.eof:
                out += len(worker.decompress(worker.unconsumed_tail, 1 << 22))
            cursor += 65536
            if out > _LARGEST:
                return None
    except zlib.error:
        return None
    end = min(cursor, len(data)) - len(worker.unused_data)
    return (at, end) if worker.eof and out >= 64 else None


def _riff(data: memoryview, at: int) -> Span:
    head = _numbers("<4sI4s", data, at)
    if head is None or not bytes(head[2]).strip().isalnum():
        return None
    end = at + 8 + head[1] + head[1] % 2
    return (at, end) if head[1] >= 4 and end <= len(data) else None


_TEXT_RUN = re.compile(rb"[\t\r\n\x20-\x7e]+")


def _obj(data: memoryview, at: int) -> Span:
    window = bytes(data[at : at + (64 << 20)])
    run = _TEXT_RUN.match(window)
    if run is None or run.group().count(b"\nf ") < 1 or run.group().count(b"\nv ") < 2:
        return None
    before = bytes(data[max(0, at - 4096) : at])
    lead = re.search(rb"(?:(?:#|mtllib |o |g )[\x20-\x7e]*\r?\n)+$", before)
    return at - (len(lead.group()) if lead else 0), at + run.end()


def _signature(name: str, ending: str, kind: Kind, pattern: bytes, measure: Measure) -> Signature:
    return Signature(name, ending, kind, re.compile(pattern, re.DOTALL), measure)


SIGNATURES = (
    _signature("PNG", "png", Kind.TEXTURE, rb"\x89PNG\r\n\x1a\n", _png),
    _signature("JPEG", "jpg", Kind.TEXTURE, rb"\xff\xd8\xff[\xc0-\xfe]", _jpeg),
    _signature("DDS", "dds", Kind.TEXTURE, rb"DDS \x7c\x00\x00\x00", _dds),
    _signature("KTX", "ktx", Kind.TEXTURE, rb"\xabKTX 11\xbb\r\n\x1a\n", _ktx1),
    _signature("KTX 2", "ktx2", Kind.TEXTURE, rb"\xabKTX 20\xbb\r\n\x1a\n", _ktx2),
    _signature("TGA", "tga", Kind.TEXTURE, rb"TRUEVISION-XFILE\.\x00", _tga),
    _signature("glTF binary", "glb", Kind.MODEL, rb"glTF\x02\x00\x00\x00", _glb),
    _signature("ZIP", "zip", Kind.PACK, rb"PK\x03\x04", _zip),
    _signature("RIFF", "riff", Kind.UNKNOWN, rb"RIFF", _riff),
    _signature("OBJ text", "obj", Kind.MODEL, rb"(?<![^\r\n\x00])v -?\d+\.?\d*(?:e-?\d+)? +-?\d+\.?\d*", _obj),
    _signature("zlib stream", "zlib", Kind.UNKNOWN, rb"\x78[\x01\x5e\x9c\xda]", _zlib),
)

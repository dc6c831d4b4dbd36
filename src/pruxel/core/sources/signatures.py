"""What known formats look like from their first bytes, and how long each says it is.

Each measure is given the place of a hit and returns the range (first byte, one after the last), or None when the header
is not plausible. What it looks at beyond the header it pays for (`Work`), so that bytes full of beginnings without ends
cost no more than a few readings of the whole.

Sources: the public specifications of PNG, JPEG, DDS, KTX, TGA 2.0, glTF 2.0, ZIP, zlib (RFC 1950), RIFF and Wavefront
OBJ.
"""

from __future__ import annotations

import re
import struct
import zlib
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from pruxel.core.base.arrays import AnyArray
from pruxel.core.base.context import Context
from pruxel.core.knowledge.kinds import Kind

Span = tuple[int, int] | None
Measure = Callable[[int], Span]
Prepare = Callable[[memoryview, "Work"], Measure]
_LARGEST = 1 << 31
_SIDE = 32_768
_WINDOW = 1 << 20
_MOST_LEVELS = 32
_ZLIB_PIECE = 1 << 12


@dataclass(frozen=True)
class Signature:
    """A format that can be found inside other bytes."""

    name: str
    ending: str
    kind: Kind
    pattern: re.Pattern[bytes]
    prepare: Prepare


class SpentError(Exception):
    """The measures of one signature have looked at more bytes than they may."""


@dataclass
class Work:
    """How many bytes the measures of one signature may still look at."""

    context: Context
    left: int

    def spend(self, size: int) -> None:
        """Pay for looking at some bytes; raises `SpentError`, or `CancelledError`."""
        self.context.check()
        self.left -= size
        if self.left < 0:
            raise SpentError


@dataclass
class _Finder:
    """The next place of some bytes; asked from front to back, the whole is walked over once."""

    data: memoryview
    wanted: bytes
    asked: int = 0
    known: int = -1

    def after(self, at: int) -> int:
        """The first place from `at` on, the length of the data when there is none."""
        if not self.asked <= at <= self.known:
            self.asked, self.known = at, self._search(at)
        return self.known

    def _search(self, at: int) -> int:
        for begin in range(at, len(self.data), _WINDOW):
            found = bytes(self.data[begin : begin + _WINDOW + len(self.wanted) - 1]).find(self.wanted)
            if found >= 0:
                return begin + found
        return len(self.data)


def _alone(measure: Callable[[memoryview, int], Span]) -> Prepare:
    """A measure that looks at a header only."""
    return lambda data, _work: lambda at: measure(data, at)


def _numbers(form: str, data: memoryview, at: int) -> tuple[Any, ...] | None:
    return struct.unpack_from(form, data, at) if at + struct.calcsize(form) <= len(data) else None


def _png(data: memoryview, work: Work, at: int) -> Span:
    cursor = at + 8
    while (head := _numbers(">I4s", data, cursor)) is not None:
        size, name = head
        end = cursor + 12 + size
        if end > len(data) or not bytes(name).isalpha():
            return None
        work.spend(12 + size)
        stored = struct.unpack_from(">I", data, end - 4)[0]
        if zlib.crc32(data[cursor + 4 : end - 4]) != stored:
            return None
        if bytes(name) == b"IEND":
            return at, end
        cursor = end
    return None


def _jpegs(data: memoryview, work: Work) -> Measure:
    ends = _Finder(data, b"\xff\xd9")

    def measure(at: int) -> Span:
        cursor, frames = at + 2, 0
        while (head := _numbers(">BBH", data, cursor)) is not None:
            mark, code, size = head
            work.spend(4)
            if mark != 0xFF or size < 2:
                return None
            frames += code in {0xC0, 0xC1, 0xC2}
            cursor += 2 + size
            if code == 0xDA:
                break
        if not frames or (stop := ends.after(cursor)) + 2 > len(data):
            return None
        return at, stop + 2

    return measure


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
    if head[11] > _MOST_LEVELS:
        return None
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


_TGA_HEADER, _TGA_FOOTER, _TGA_MAGIC = 18, 26, 18


def _tgas(data: memoryview, _work: Work) -> Measure:
    """A TGA is known by its footer; where it began follows from a header whose size comes out exactly there."""
    known: list[tuple[AnyArray, AnyArray]] = []

    def measure(at: int) -> Span:
        if not known:
            known.append(_tga_spans(data))
        starts, ends = known[0]
        end = at + _TGA_MAGIC
        last = int(np.searchsorted(ends, end, side="right")) - 1
        return (int(starts[last]), end) if last >= 0 and ends[last] == end else None

    return measure


def _tga_spans(data: memoryview) -> tuple[AnyArray, AnyArray]:
    """Where every plausible header begins and says that it ends, (n,) int64 each, by the ends and then the starts."""
    found: list[tuple[AnyArray, AnyArray]] = []
    for low in range(0, len(data), _WINDOW):
        window = np.frombuffer(data[low : low + _WINDOW + _TGA_HEADER], np.uint8)
        if len(window) < _TGA_HEADER:
            break
        uncolored = (window[2:-15] == 2) | (window[2:-15] == 3)
        starts = np.flatnonzero(uncolored[:_WINDOW])
        starts = starts[(window[starts + 1] == 0) & np.isin(window[starts + 16], (8, 16, 24, 32))]
        width = window[starts + 12].astype(np.int64) | (window[starts + 13].astype(np.int64) << 8)
        height = window[starts + 14].astype(np.int64) | (window[starts + 15].astype(np.int64) << 8)
        size = _TGA_HEADER + window[starts] + width * height * (window[starts + 16] // 8) + _TGA_FOOTER
        fits = (width > 0) & (height > 0) & (low + starts + size <= len(data))
        found.append((low + starts[fits], (low + starts + size)[fits]))
    if not found:
        return np.empty(0, np.int64), np.empty(0, np.int64)
    starts, ends = (np.concatenate(each) for each in zip(*found, strict=True))
    order = np.lexsort((starts, ends))
    return starts[order], ends[order]


def _glb(data: memoryview, at: int) -> Span:
    head = _numbers("<4sIIII", data, at)
    if head is None or head[1] != 2 or head[4] != 0x4E4F534A or not 20 <= head[2] <= len(data) - at:
        return None
    return at, at + head[2]


def _zips(data: memoryview, _work: Work) -> Measure:
    """A ZIP's end says how far behind its beginning it lies: all ends are looked at once."""
    known: dict[int, int] = {}
    tails = _Finder(data, b"PK\x05\x06")
    cursor = tails.after(0)
    while cursor < len(data):
        tail = _numbers("<IIH", data, cursor + 12)
        if tail is not None:
            known.setdefault(cursor - tail[0] - tail[1], min(cursor + 22 + tail[2], len(data)))
        cursor = tails.after(cursor + 4)
    return lambda at: (at, known[at]) if at in known else None


def _zlib(data: memoryview, work: Work, at: int) -> Span:
    worker, cursor, out = zlib.decompressobj(), at, 0
    try:
        while not worker.eof and cursor < len(data):
            piece: bytes | memoryview = data[cursor : cursor + _ZLIB_PIECE]
            while len(piece) and not worker.eof:
                unpacked = len(worker.decompress(piece, 1 << 20))
                piece = worker.unconsumed_tail
                work.spend(64 + unpacked)
                out += unpacked
            cursor += _ZLIB_PIECE
            if out > _LARGEST:
                return None
    except zlib.error:
        work.spend(min(cursor + _ZLIB_PIECE, len(data)) - at)
        return None
    end = min(cursor, len(data)) - len(worker.unused_data)
    return (at, end) if worker.eof and out >= 64 else None


def _riff(data: memoryview, at: int) -> Span:
    head = _numbers("<4sI4s", data, at)
    if head is None or not bytes(head[2]).strip().isalnum():
        return None
    end = at + 8 + head[1] + head[1] % 2
    return (at, end) if head[1] >= 4 and end <= len(data) else None


_TEXT_PIECE = 1 << 12
_TEXT_RUN = re.compile(rb"[\t\r\n\x20-\x7e]+")


_LEADS = (b"#", b"mtllib ", b"o ", b"g ")
_MOST_LEAD = 4096


def _objs(data: memoryview, work: Work) -> Measure:
    """A run of text with two vertices and a face behind the first; names and comments just before it belong to it."""
    corners, faces = _Finder(data, b"\nv "), _Finder(data, b"\nf ")
    ended = 0

    def measure(at: int) -> Span:
        nonlocal ended
        if at >= ended:
            ended = _text_end(data, work, at)
        second = corners.after(at)
        if faces.after(at) >= ended or second >= ended:
            return None
        if b"\nv " not in bytes(data[second + 3 : min(second + _MOST_LEAD, ended)]):
            return None
        work.spend(2 * _MOST_LEAD)
        return _lead(bytes(data[max(0, at - _MOST_LEAD) : at]), at), ended

    return measure


def _text_end(data: memoryview, work: Work, at: int) -> int:
    while at < len(data):
        run = _TEXT_RUN.match(bytes(data[at : at + _TEXT_PIECE]))
        work.spend(_TEXT_PIECE)
        if run is None:
            return at
        at += run.end()
        if run.end() < _TEXT_PIECE:
            return at
    return len(data)


def _lead(before: bytes, at: int) -> int:
    """Where the lines before `at` that name things begin."""
    while before.endswith(b"\n"):
        start = before.rfind(b"\n", 0, -1) + 1
        line = before[start:]
        if not line.startswith(_LEADS) or not line.rstrip(b"\r\n").isascii() or b"\0" in line:
            break
        before, at = before[:start], at - len(line)
    return at


def _paid(measure: Callable[[memoryview, Work, int], Span]) -> Prepare:
    """A measure that looks at what follows the header, and remembers nothing."""
    return lambda data, work: lambda at: measure(data, work, at)


def _signature(name: str, ending: str, kind: Kind, pattern: bytes, prepare: Prepare) -> Signature:
    return Signature(name, ending, kind, re.compile(pattern, re.DOTALL), prepare)


SIGNATURES = (
    _signature("PNG", "png", Kind.TEXTURE, rb"\x89PNG\r\n\x1a\n", _paid(_png)),
    _signature("JPEG", "jpg", Kind.TEXTURE, rb"\xff\xd8\xff[\xc0-\xfe]", _jpegs),
    _signature("DDS", "dds", Kind.TEXTURE, rb"DDS \x7c\x00\x00\x00", _alone(_dds)),
    _signature("KTX", "ktx", Kind.TEXTURE, rb"\xabKTX 11\xbb\r\n\x1a\n", _alone(_ktx1)),
    _signature("KTX 2", "ktx2", Kind.TEXTURE, rb"\xabKTX 20\xbb\r\n\x1a\n", _alone(_ktx2)),
    _signature("TGA", "tga", Kind.TEXTURE, rb"TRUEVISION-XFILE\.\x00", _tgas),
    _signature("glTF binary", "glb", Kind.MODEL, rb"glTF\x02\x00\x00\x00", _alone(_glb)),
    _signature("ZIP", "zip", Kind.PACK, rb"PK\x03\x04", _zips),
    _signature("RIFF", "riff", Kind.UNKNOWN, rb"RIFF", _alone(_riff)),
    _signature("OBJ text", "obj", Kind.MODEL, rb"(?<![^\r\n\x00])v -?\d+\.?\d*(?:e-?\d+)? +-?\d+\.?\d*", _objs),
    _signature("zlib stream", "zlib", Kind.UNKNOWN, rb"\x78[\x01\x5e\x9c\xda]", _paid(_zlib)),
)

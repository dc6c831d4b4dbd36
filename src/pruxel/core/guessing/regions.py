"""Stretches of a file and what they are like: order and range of bytes, texts, compressed data, tables, rotations."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

import numpy as np

from pruxel.core.base.arrays import AnyArray, ByteArray
from pruxel.core.guessing.stretches import stretches
from pruxel.core.native.codecs import measure_stream

_TEXTS = re.compile(rb"(?:[\x20-\x7e]{3,}[\x00\r\n]+){4,}")
_ZLIB = re.compile(rb"\x78[\x01\x5e\x9c\xda]")
_ZSTD, _LZ4 = re.compile(re.escape(b"\x28\xb5\x2f\xfd")), re.compile(re.escape(b"\x04\x22\x4d\x18"))
_LEAST_UNPACKED, _MOST_UNPACKED = 64, 64 << 20
_TRIES, _PIECE = 64, 1 << 14
_LEAST_ROWS = 6


RegionKind = Literal["compressed", "texts", "places", "turns"]


@dataclass(frozen=True)
class Region:
    """Bytes `first` to `end` (the one behind the last) that are a `kind` of thing; `said` is in words."""

    kind: RegionKind
    first: int
    end: int
    said: str
    confidence: float


@dataclass(frozen=True)
class Packed(Region):
    """Compressed bytes, with how and what size they have unpacked."""

    codec: str
    size: int


def strip_of(data: ByteArray, pieces: int) -> AnyArray:
    """What a file looks like from afar, piece by piece.

    (pieces, 4) float32: entropy in bits a byte (0 to 8), least byte, highest byte, share of zeros. A piece is looked at
    in at most 16 KiB, so that a large file costs no more.
    """
    count = max(1, min(pieces, len(data)))
    edges = np.linspace(0, len(data), count + 1).astype(np.int64)
    found = np.zeros((count, 4), np.float32)
    for row, (first, end) in enumerate(zip(edges[:-1].tolist(), edges[1:].tolist(), strict=True)):
        part = data[first : min(end, first + _PIECE)]
        if not len(part):
            continue
        times = np.bincount(part, minlength=256)
        share = times[times > 0] / len(part)
        found[row] = abs((share * np.log2(share)).sum()), part.min(), part.max(), times[0] / len(part)
    return found


def find_packed(data: ByteArray) -> list[Packed]:
    """Streams of zlib, Zstandard and LZ4 frames that unpack without a fault."""
    whole, found = data.data, list[Packed]()
    for codec, pattern in (("zlib", _ZLIB), ("zstd", _ZSTD), ("lz4_frame", _LZ4)):
        for tries, hit in enumerate(pattern.finditer(whole)):
            if tries >= _TRIES:
                break
            first = hit.start()
            if any(one.first <= first < one.end for one in found):
                continue
            span = measure_stream(codec, whole[first:], _MOST_UNPACKED)
            if span is not None and span[1] >= _LEAST_UNPACKED:
                stored, size = span
                said = f"{codec}: {stored:,} bytes that unpack to {size:,}"
                found.append(Packed("compressed", first, first + stored, said, 0.97, codec, size))
    return found


def find_texts(data: ByteArray) -> list[Region]:
    """Tables of texts, one behind the other."""
    found: list[Region] = []
    for hit in _TEXTS.finditer(data.data):
        texts = [one for one in re.split(rb"[\x00\r\n]+", hit.group()) if one]
        said = f"{len(texts):,} texts: {', '.join(one.decode('ascii') for one in texts[:3])}…"
        found.append(Region("texts", hit.start(), hit.end(), said, min(0.95, 0.6 + len(texts) / 100)))
    return sorted(found, key=lambda one: one.first - one.end)[:4]


def find_places(data: ByteArray, order: str) -> list[Region]:
    """Tables of u32 that grow and stay inside the file: where things begin."""
    found: list[Region] = []
    for phase in range(4):
        values = data[phase : phase + (len(data) - phase) // 4 * 4].view(f"{order}u4").astype(np.int64)
        for step in (1, 2, 3, 4):
            rows = values[: len(values) // step * step].reshape(-1, step)
            for column in range(step):
                for first, end in _growing(rows[:, column], len(data)):
                    start = phase + (first * step + column) * 4
                    said = f"{end - first:,} places in the file, one every {step * 4} bytes"
                    sure = min(0.9, 0.4 + (end - first) / 60)
                    found.append(Region("places", start, phase + (end * step) * 4, said, round(sure, 3)))
    found.sort(key=lambda one: (-one.confidence, one.end - one.first))
    return _apart(found)[:3]


def _growing(values: AnyArray, most: int) -> Iterator[tuple[int, int]]:
    """Stretches that grow by at least 8 each time and stay between their own end and `most`."""
    good = np.zeros(len(values), bool)
    if len(values) > 1:
        steps = np.diff(values)
        good[1:] = (steps >= 8) & (values[1:] <= most) & (values[:-1] >= 8)
    ends = stretches(good)
    for first, end in ends.tolist():
        run = values[first - 1 : end]
        # Evenly growing small numbers are counters; a table of places spans a good part of the file.
        if len(run) >= _LEAST_ROWS and run[-1] > most * 0.4 and len(np.unique(np.diff(run))) > 1:
            yield first - 1, end


def find_turns(data: ByteArray, order: str) -> list[Region]:
    """Runs of unit quaternions and of matrices whose turn is one, in f32."""
    found: list[Region] = []
    for phase in range(4):
        values = data[phase : phase + (len(data) - phase) // 4 * 4].view(f"{order}f4")
        with np.errstate(all="ignore"):
            for width, what in ((16, "matrices of 4 x 4"), (12, "matrices of 3 x 4"), (4, "quaternions")):
                found += _turns_of(values, width, what, phase)
    found.sort(key=lambda one: one.first - one.end)
    return _apart(found)[:4]


def _apart(found: list[Region]) -> list[Region]:
    """Those that lie in none that stands before them."""
    kept: list[Region] = []
    for one in found:
        if all(one.end <= other.first or one.first >= other.end for other in kept):
            kept.append(one)
    return kept


def _turns_of(values: AnyArray, width: int, what: str, phase: int) -> Iterator[Region]:
    """Runs of `width` numbers that are turns, beginning at any of the numbers."""
    for skipped in range(width):
        rows = values[skipped : skipped + (len(values) - skipped) // width * width].reshape(-1, width)
        for first, end in _turning(rows, width):
            start, many = phase + (skipped + first * width) * 4, end - first
            yield Region("turns", start, start + many * width * 4, f"{many:,} {what}", 0.8)


def _turning(rows: AnyArray, width: int) -> Iterator[tuple[int, int]]:
    if not len(rows):
        return
    if width == 4:
        good = np.abs((rows.astype(np.float64) ** 2).sum(axis=1) - 1) < 1e-3
        good &= (np.abs(rows) <= 1).all(axis=1) & ((rows != 0).sum(axis=1) > 1)
    else:
        square = rows.reshape(-1, width // 4, 4)[:, :3, :3].astype(np.float64)
        product = square @ square.transpose(0, 2, 1)
        good = np.abs(product - np.eye(3)).max(axis=(1, 2)) < 1e-3
    ends = stretches(good)
    yield from ((first, end) for first, end in ends.tolist() if end - first >= 4)

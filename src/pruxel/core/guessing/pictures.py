"""Pictures in bytes that nobody described: at the right width, a row of texels is much like the one above."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import AnyArray, ByteArray
from pruxel.core.guessing.numbers import Number, read_numbers

_LEAST_SIDE, _MOST_SIDE, _LEAST_TEXELS = 8, 8192, 512
_MOST_BYTES = 1 << 24
_KEPT = 4
_SMOOTH = 0.45


@dataclass(frozen=True)
class PictureGuess:
    """Texels of `bytes` each, or blocks of a `compression`, from `offset` on; `pixels` is the layout's expression."""

    offset: int
    width: int
    height: int
    format: str
    bytes: int
    pixels: str
    compression: str
    confidence: float
    reasons: tuple[str, ...]


# Offset, width, height and what states them.
_Size = tuple[int, int, int, Number | None]
# Format, bytes of a texel and how a layout says it.
_PLAIN = (
    ("RGBA, 8 bits each", 4, "array(texels, u8x4)"),
    ("RGB, 8 bits each", 3, "array(texels, u8x3)"),
    ("one channel of 8 bits", 1, "array(texels, u8)"),
    ("RGB in 5, 6 and 5 bits", 2, "unpack_unorm(array(texels, u16), 5, 6, 5)"),
)
_BLOCKS = (("BC1", 8), ("BC3", 16))


def guess_pictures(data: ByteArray) -> list[PictureGuess]:
    """The likely pictures, the best first: sizes that the file states, or powers of two that take all the rest."""
    found: list[PictureGuess] = []
    for place in _sizes(data):
        offset, width, height, stated = place
        if width * height < _LEAST_TEXELS:
            continue
        for format_, size, pixels in _PLAIN:
            need = width * height * size
            if offset + need > len(data) or need > _MOST_BYTES:
                continue
            whole = offset + need == len(data)
            if stated is None and not whole:
                continue
            smooth = _roughness(data[offset : offset + need].reshape(height, width, size))
            found += _rated(place, (format_, size, pixels, ""), smooth, whole=whole)
        for name, size in _BLOCKS:
            blocks = (width + 3) // 4 * ((height + 3) // 4)
            whole = offset + blocks * size == len(data)
            if not whole or width % 4 or height % 4:
                continue
            colors = data[offset:].reshape(height // 4, width // 4, size)[..., size - 8 : size - 4]
            smooth = _roughness(np.ascontiguousarray(colors).view("<u2").astype(np.int64) >> 5 & 63)
            found += _rated(place, (name, size, "", name), smooth, whole=whole)
    found.sort(key=lambda one: -one.confidence)
    return found[:_KEPT]


def _rated(place: _Size, what: tuple[str, int, str, str], rough: float, *, whole: bool) -> Iterator[PictureGuess]:
    offset, width, height, stated = place
    if rough > _SMOOTH:
        return
    reasons = [f"neighbouring texels differ {1 / max(rough, 1e-3):.0f} times less than others"]
    sure = 0.65 - rough
    if stated is not None:
        sure += 0.1
        reasons.append(f"byte {stated.offset} says {width} x {height}")
    if whole:
        sure += 0.25
        reasons.append("the texels end with the file")
    format_, size, pixels, compression = what
    yield PictureGuess(
        offset, width, height, format_, size, pixels, compression, round(min(sure, 0.97), 3), tuple(reasons)
    )


def _roughness(texels: AnyArray) -> float:
    """How much neighbours above each other and beside each other differ, over what any two do; texels (h, w, c)."""
    values = texels.astype(np.float64)
    values = values[:256, :256]
    down = np.abs(np.diff(values, axis=0)).mean()
    across = np.abs(np.diff(values, axis=1)).mean()
    flat = values.reshape(-1, values.shape[-1])
    others = np.abs(flat - np.roll(flat, len(flat) // 2 + 7, axis=0)).mean()
    return float(max(down, across) / others) if others > 0.5 else 9.0


def _sizes(data: ByteArray) -> Iterator[_Size]:
    """Two numbers beside each other that are a size, or powers of two behind short heads."""
    numbers = sorted(read_numbers(data, "<", min(len(data), 64)).by_value.values(), key=lambda one: one.offset)
    fitting = [one for one in numbers if _LEAST_SIDE <= one.value <= _MOST_SIDE]
    by_place = {(one.offset, one.type): one for one in fitting}
    for one in fitting:
        size = 4 if one.type == "u32" else 2
        other = by_place.get((one.offset + size, one.type)) or _same(data, one, size)
        if other is not None:
            for offset in dict.fromkeys(
                (one.offset + 2 * size, 16, 32, 64, 128, *_behind(data, one.value, other.value))
            ):
                if offset >= one.offset + 2 * size:
                    yield offset, one.value, other.value, one
    for size in (4, 3, 2, 1):
        for side in (1 << n for n in range(4, 14)):
            for wide in (1, 2, 4):
                need = side * side * size // wide
                if 0 <= len(data) - need <= 256:
                    yield len(data) - need, side, side // wide, None
    for divisor in (1, 2):
        for side in (1 << n for n in range(4, 14)):
            if 0 <= len(data) - side * side // divisor <= 256:
                yield len(data) - side * side // divisor, side, side, None


def _same(data: ByteArray, one: Number, size: int) -> Number | None:
    """The next number, where it is the same again."""
    here, there = one.offset, one.offset + size
    same = there + size <= len(data) and data[here:there].tobytes() == data[there : there + size].tobytes()
    return Number(there, one.type, one.value) if same else None


def _behind(data: ByteArray, width: int, height: int) -> Iterator[int]:
    """Where texels of this size would begin to end with the file."""
    for size in (4, 3, 2, 1):
        yield len(data) - width * height * size
    blocks = (width + 3) // 4 * ((height + 3) // 4)
    yield len(data) - blocks * 8
    yield len(data) - blocks * 16

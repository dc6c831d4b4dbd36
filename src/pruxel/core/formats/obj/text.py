"""Numbers → text, at the speed of memory. Kernels fill byte rows; slices run on both cores."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numba
import numpy as np

from pruxel.core.base.arrays import ByteArray, FloatArray, IndexArray, starts_of
from pruxel.core.native.threads import made_ahead

_NUMBER_BYTES = 22
_INDEX_BYTES = 11
_ROWS_AT_ONCE = 1 << 14
_PIECE_BYTES = 8 << 20
# Whole numbers of steps that fit 64 bits with room for rounding.
_MOST_FIXED = float(1 << 62)


@numba.njit(cache=True, nogil=True)
def _put_integer(value, out, at):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Digits of a whole number from 0; returns the next free place."""
    if value < 10:
        out[at] = 48 + value
        return at + 1
    digits = 1
    limit = np.int64(10)
    while digits < 19 and value >= limit:
        digits += 1
        limit *= 10
    place = at + digits - 1
    while place >= at:
        quotient = value // 10
        out[place] = 48 + (value - quotient * 10)
        value = quotient
        place -= 1
    return at + digits


@numba.njit(cache=True, nogil=True)
def _rows(values, scale, decimals, letters, out, start, stop):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """`letters x y z` lines for rows start..stop; returns the bytes used."""
    at = 0
    unit = np.int64(scale)
    for row in range(start, stop):
        for letter in letters:
            out[at] = letter
            at += 1
        for column in range(values.shape[1]):
            out[at] = 32
            at += 1
            number = np.float64(values[row, column]) * scale
            if number < 0:
                number = -number
                if number >= 0.5:
                    out[at] = 45
                    at += 1
            whole = np.int64(number + 0.5)
            left = whole // unit
            rest = whole - left * unit
            at = _put_integer(left, out, at)
            if decimals > 0:
                out[at] = 46
                place = at + decimals
                while place > at:
                    quotient = rest // 10
                    out[place] = 48 + (rest - quotient * 10)
                    rest = quotient
                    place -= 1
                at += decimals + 1
        out[at] = 10
        at += 1
    return at


@numba.njit(cache=True, nogil=True)
def _faces(indices, firsts, has_uv, has_normal, out, start, stop):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """`f a/b/c …` lines for rows start..stop; `firsts` are the numbers of corner 0 for v, vt, vn."""
    at = 0
    same = has_uv and has_normal and firsts[0] == firsts[1] and firsts[0] == firsts[2]
    for row in range(start, stop):
        out[at] = 102
        at += 1
        for corner in range(3):
            out[at] = 32
            index = np.int64(indices[row, corner])
            begin = at + 1
            at = _put_integer(index + firsts[0], out, begin)
            if same:
                # The usual case: one number three times, its digits copied.
                digits = at - begin
                out[at] = 47
                out[at + 1 + digits] = 47
                for k in range(digits):
                    digit = out[begin + k]
                    out[at + 1 + k] = digit
                    out[at + 2 + digits + k] = digit
                at += 2 + 2 * digits
                continue
            if has_uv or has_normal:
                out[at] = 47
                at += 1
            if has_uv:
                at = _put_integer(index + firsts[1], out, at)
            if has_normal:
                out[at] = 47
                at = _put_integer(index + firsts[2], out, at + 1)
        out[at] = 10
        at += 1
    return at


@numba.njit(cache=True, nogil=True)
def _polygons(letter, corners, starts, sizes, firsts, has_uv, has_normal, out, start, stop):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """`f a/b/c …` lines (or of another letter) for polygons start..stop."""
    at = 0
    for face in range(start, stop):
        out[at] = letter
        at += 1
        for corner in range(starts[face], starts[face] + sizes[face]):
            out[at] = 32
            index = np.int64(corners[corner])
            at = _put_integer(index + firsts[0], out, at + 1)
            if has_uv or has_normal:
                out[at] = 47
                at += 1
            if has_uv:
                at = _put_integer(index + firsts[1], out, at)
            if has_normal:
                out[at] = 47
                at = _put_integer(index + firsts[2], out, at + 1)
        out[at] = 10
        at += 1
    return at


def decimals_for(largest: float) -> int:
    """Decimals for seven significant digits of the largest coordinate, which is what float32 holds."""
    if not np.isfinite(largest) or largest <= 0:
        return 6
    return int(np.clip(6 - np.floor(np.log10(largest)), 2, 9))


def _in_pieces(count: int, width: int, fill: Callable[[ByteArray, int, int], int]) -> Iterator[memoryview]:
    """Text of rows 0..count in order, some rows at once, so that a long text never lies in memory whole.

    `fill(out, start, stop)` writes rows into bytes and returns how many it used; a row takes at most `width`.
    """
    at_once = max(1, min(_ROWS_AT_ONCE, _PIECE_BYTES // width))

    def piece(first: int) -> memoryview:
        stop = min(first + at_once, count)
        out: ByteArray = np.empty((stop - first) * width, np.uint8)
        return out[: fill(out, first, stop)].data

    return made_ahead(range(0, count, at_once), piece)


def rows_text(letters: bytes, values: FloatArray, decimals: int) -> Iterator[memoryview]:
    """Lines `letters x y …` for an (n, k) array, as pieces of text in order.

    Values are fixed-point with `decimals` places; arrays with one of 2^62 / 10^decimals and more are written with
    exponents.
    """
    # The largest of both signs, without a copy of all.
    largest = max(float(values.max(initial=0)), -float(values.min(initial=0)))
    if largest * 10.0**decimals >= _MOST_FIXED:
        return _with_exponents(letters, values)
    width = len(letters) + values.shape[1] * _NUMBER_BYTES + 1
    marks = np.frombuffer(letters, np.uint8)

    def fill(out: ByteArray, start: int, stop: int) -> int:
        return int(_rows(values, 10.0**decimals, decimals, marks, out, start, stop))

    return _in_pieces(len(values), width, fill)


def _with_exponents(letters: bytes, values: FloatArray) -> Iterator[memoryview]:
    # Nobody's model is so large; broken files are, and are no reason to write what is none.
    for first in range(0, len(values), _ROWS_AT_ONCE):
        rows = values[first : first + _ROWS_AT_ONCE].tolist()
        lines = (b"%s %s\n" % (letters, " ".join(f"{number:.9g}" for number in row).encode()) for row in rows)
        yield memoryview(b"".join(lines))


def faces_text(
    indices: IndexArray, firsts: tuple[int, int, int], *, has_uv: bool, has_normal: bool
) -> Iterator[memoryview]:
    """Face lines for an (m, 3) array; `firsts` are the one-based numbers of vertex 0 in v, vt and vn."""
    width = 4 + 3 * 3 * (_INDEX_BYTES + 1)
    starts = np.array(firsts, np.int64)

    def fill(out: ByteArray, start: int, stop: int) -> int:
        return int(_faces(indices, starts, has_uv, has_normal, out, start, stop))

    return _in_pieces(len(indices), width, fill)


def polygons_text(
    letter: bytes,
    corners: IndexArray,
    sizes: IndexArray,
    firsts: tuple[int, int, int],
    *,
    has_uv: bool = False,
    has_normal: bool = False,
) -> Iterator[memoryview]:
    """Lines of a letter (`f`, `l`, `p`) for outlines one after the other, `sizes` (f,) their corner counts.

    `firsts` as for `faces_text`.
    """
    counts = sizes.astype(np.int64)
    starts = starts_of(counts)
    width = 4 + int(counts.max(initial=3)) * 3 * (_INDEX_BYTES + 1)
    numbers = np.array(firsts, np.int64)

    def fill(out: ByteArray, start: int, stop: int) -> int:
        return int(_polygons(letter[0], corners, starts, counts, numbers, has_uv, has_normal, out, start, stop))

    return _in_pieces(len(sizes), width, fill)

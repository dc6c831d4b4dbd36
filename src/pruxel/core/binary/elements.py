"""Element types: what one scalar or small vector in a file is, and how a run of them becomes an array.

`u8 i8 u16 i16 u32 i32 u64 i64 f16 f32 f64`, normalised `unorm8 snorm8 unorm16 snorm16`, each with an optional
`x2` to `x16`; packed `unorm10_10_10_2` and `snorm10_10_10_2`. Normalised integers decode as in Vulkan 1.3, "Conversion
from Normalized Fixed-Point to Floating-Point": unsigned c / (2^b - 1), signed max(c / (2^(b-1) - 1), -1).
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import cached_property, lru_cache

import numba
import numpy as np

from pruxel.core.base.arrays import AnyArray, ByteArray, FloatArray
from pruxel.core.native.threads import over_ranges

_SCALARS = {
    "u8": "u1", "i8": "i1", "u16": "u2", "i16": "i2", "u32": "u4", "i32": "i4", "u64": "u8", "i64": "i8",
    "f16": "f2", "f32": "f4", "f64": "f8",
    "unorm8": "u1", "snorm8": "i1", "unorm16": "u2", "snorm16": "i2",
    "unorm10_10_10_2": "u4", "snorm10_10_10_2": "u4",
}  # fmt: skip
_PATTERN = re.compile(r"^([a-z]+[0-9]+(?:_10_10_2)?)(?:x([0-9]{1,2}))?$")


@dataclass(frozen=True)
class Element:
    """One element type: `code` is NumPy's type code without byte order, `width` the number of components."""

    name: str
    scalar: str
    code: str
    width: int

    @cached_property
    def size(self) -> int:
        """Bytes of one element."""
        return int(self.code[1]) * self.width

    @cached_property
    def packed(self) -> bool:
        """Whether several components share one integer."""
        return "10_10" in self.scalar

    @cached_property
    def components(self) -> int:
        """Components after decoding."""
        return 4 if self.packed else self.width

    @cached_property
    def whole(self) -> bool:
        """Whether its values are whole numbers, taken as they are."""
        return not self.packed and "norm" not in self.scalar and self.code[0] in "ui"

    def dtype(self, order: str) -> np.dtype[np.generic]:
        """The NumPy type of one component in byte order `<` or `>`."""
        return _dtype(order + self.code)


@lru_cache(maxsize=64)
def _dtype(code: str) -> np.dtype[np.generic]:
    return np.dtype(code)


@lru_cache(maxsize=256)
def element(name: str) -> Element | None:
    """The element type of that name, or None."""
    match = _PATTERN.match(name)
    if match is None or match[1] not in _SCALARS:
        return None
    width = int(match[2] or 1)
    if not 1 <= width <= 16:
        return None
    return Element(name, match[1], _SCALARS[match[1]], width)


@lru_cache(maxsize=32)
def _table(scalar: str) -> FloatArray:
    """The float32 value of each bit pattern of a type of 8 or 16 bits."""
    code = _SCALARS[scalar]
    bits = int(code[1]) * 8
    patterns = np.arange(1 << bits, dtype=f"u{code[1]}")
    values = patterns.view(code).astype(np.float32)
    if scalar.startswith("unorm"):
        values /= np.float32((1 << bits) - 1)
    if scalar.startswith("snorm"):
        values = np.maximum(values / np.float32((1 << (bits - 1)) - 1), np.float32(-1))
    return values


@numba.njit(cache=True, nogil=True)
def _look_up_bytes(rows, offset, table, out, start, stop):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    for i in range(start, stop):
        for j in range(out.shape[1]):
            out[i, j] = table[rows[i, offset + j]]


@numba.njit(cache=True, nogil=True)
def _look_up_words(rows, offset, table, out, start, stop):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    for i in range(start, stop):
        for j in range(out.shape[1]):
            at = offset + 2 * j
            out[i, j] = table[rows[i, at] | (np.uint32(rows[i, at + 1]) << 8)]


@numba.njit(cache=True, nogil=True)
def _copy_floats(rows, first, out, start, stop):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    for i in range(start, stop):
        for j in range(out.shape[1]):
            out[i, j] = rows[i, first + j]


def decode_floats(rows: ByteArray, kind: Element, offset: int, order: str = "<") -> FloatArray:
    """Decode one attribute of interleaved vertices.

    rows: (n, stride) uint8, one vertex a row; returns (n, components) float32. Types of up to 16 bits go through a
    table of all their values, f32 in the machine's order is copied, the rest is left to NumPy.
    """
    out = np.empty((len(rows), kind.components), np.float32)
    if kind.packed:
        words = np.ascontiguousarray(decode_plain(rows, kind, offset, order)[:, 0], np.uint32)
        signed = kind.scalar[0] == "s"
        over_ranges(len(words), lambda a, b: _unpack_tens(words, signed, out, a, b))
    elif kind.code[1] == "1":
        table = _table(kind.scalar)
        over_ranges(len(rows), lambda a, b: _look_up_bytes(rows, offset, table, out, a, b))
    elif kind.code[1] == "2" and order == "<":
        table = _table(kind.scalar)
        over_ranges(len(rows), lambda a, b: _look_up_words(rows, offset, table, out, a, b))
    elif kind.code == "f4" and order == "<" and offset % 4 == 0 and _float_rows(rows):
        floats = rows.view(np.float32)
        over_ranges(len(rows), lambda a, b: _copy_floats(floats, offset // 4, out, a, b))
    elif kind.code == "f4":
        out[:] = decode_plain(rows, kind, offset, order)
    else:
        with np.errstate(invalid="ignore"):  # numbers that are none stay none
            raw = decode_plain(rows, kind, offset, order).astype(np.float64)
        if kind.scalar.startswith("unorm"):
            raw /= 2.0 ** (8 * int(kind.code[1])) - 1
        if kind.scalar.startswith("snorm"):
            raw = np.maximum(raw / (2.0 ** (8 * int(kind.code[1]) - 1) - 1), -1.0)
        with np.errstate(invalid="ignore", over="ignore"):
            out[:] = raw
    return out


def _float_rows(rows: ByteArray) -> bool:
    """Whether rows can be looked at as float32 without a copy."""
    return rows.shape[1] % 4 == 0 and rows.ctypes.data % 4 == 0 and rows.flags.c_contiguous


def decode_plain(rows: ByteArray, kind: Element, offset: int, order: str = "<") -> AnyArray:
    """The stored numbers of one attribute, (n, width) in their own type and order."""
    packed = np.ascontiguousarray(rows[:, offset : offset + kind.size])
    return packed.view(kind.dtype(order)).reshape(len(rows), kind.width)


@numba.njit(cache=True, nogil=True)
def _unpack_tens(words, signed, out, start, stop):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    for i in range(start, stop):
        word = np.int64(words[i])
        for j in range(4):
            width = 10 if j < 3 else 2
            part = (word >> (10 * j)) & ((1 << width) - 1)
            if not signed:
                out[i, j] = part / np.float32((1 << width) - 1)
                continue
            half = 1 << (width - 1)
            if part >= half:
                part -= 2 * half
            out[i, j] = max(part / np.float32(half - 1), np.float32(-1))

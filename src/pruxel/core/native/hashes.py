"""Hash functions that packs use for their entries' names, over a million texts at once.

All take one block of bytes (n,) uint8 and the starts of the texts in it (k + 1,) int64, so that text i is
`block[starts[i]:starts[i + 1]]`, and give (k,) uint64; 32-bit functions leave the upper half zero.
Sources: CRC-32 as in ISO 3309; FNV by its authors' note; djb2 as published in comp.lang.c; MurmurHash3 x86_32 and
xxHash by their reference descriptions, all in the public domain or under permissive licences.
"""

from __future__ import annotations

from collections.abc import Callable

import numba
import numpy as np

from pruxel.core.base.arrays import AnyArray
from pruxel.core.native.threads import over_ranges

U = np.uint64
_LOW = U(0xFFFFFFFF)
_FNV32, _FNV64 = U(0x01000193), U(0x100000001B3)
_FNV32_START, _FNV64_START = U(0x811C9DC5), U(0xCBF29CE484222325)
_M1, _M2, _M3, _M4, _M5 = U(0xCC9E2D51), U(0x1B873593), U(0xE6546B64), U(0x85EBCA6B), U(0xC2B2AE35)
_P1, _P2, _P3, _P4, _P5 = U(2654435761), U(2246822519), U(3266489917), U(668265263), U(374761393)
_Q1, _Q2, _Q3 = U(11400714785074694791), U(14029467366897019727), U(1609587929392839161)
_Q4, _Q5 = U(9650029242287828579), U(2870177450012600261)


def _crc_rows() -> AnyArray:
    rows = np.arange(256, dtype=np.uint64)
    for _ in range(8):
        rows = np.where(rows & U(1), (rows >> U(1)) ^ U(0xEDB88320), rows >> U(1))
    return rows


_CRC = _crc_rows()


_compiled = numba.njit(cache=True, nogil=True)


@_compiled  # type: ignore[untyped-decorator]
def _crc32(block: AnyArray, starts: AnyArray, seed: int, out: AnyArray) -> None:
    for i in range(len(out)):
        h = (np.uint64(seed) & _LOW) ^ _LOW
        for at in range(starts[i], starts[i + 1]):
            h = _CRC[(h ^ np.uint64(block[at])) & np.uint64(255)] ^ (h >> np.uint64(8))
        out[i] = h ^ _LOW


@_compiled  # type: ignore[untyped-decorator]
def _fnv1_32(block: AnyArray, starts: AnyArray, seed: int, out: AnyArray) -> None:
    for i in range(len(out)):
        h = _FNV32_START ^ np.uint64(seed)
        for at in range(starts[i], starts[i + 1]):
            h = ((h * _FNV32) & _LOW) ^ np.uint64(block[at])
        out[i] = h


@_compiled  # type: ignore[untyped-decorator]
def _fnv1a_32(block: AnyArray, starts: AnyArray, seed: int, out: AnyArray) -> None:
    for i in range(len(out)):
        h = _FNV32_START ^ np.uint64(seed)
        for at in range(starts[i], starts[i + 1]):
            h = ((h ^ np.uint64(block[at])) * _FNV32) & _LOW
        out[i] = h


@_compiled  # type: ignore[untyped-decorator]
def _fnv1_64(block: AnyArray, starts: AnyArray, seed: int, out: AnyArray) -> None:
    for i in range(len(out)):
        h = _FNV64_START ^ np.uint64(seed)
        for at in range(starts[i], starts[i + 1]):
            h = (h * _FNV64) ^ np.uint64(block[at])
        out[i] = h


@_compiled  # type: ignore[untyped-decorator]
def _fnv1a_64(block: AnyArray, starts: AnyArray, seed: int, out: AnyArray) -> None:
    for i in range(len(out)):
        h = _FNV64_START ^ np.uint64(seed)
        for at in range(starts[i], starts[i + 1]):
            h = (h ^ np.uint64(block[at])) * _FNV64
        out[i] = h


@_compiled  # type: ignore[untyped-decorator]
def _djb2(block: AnyArray, starts: AnyArray, seed: int, out: AnyArray) -> None:
    for i in range(len(out)):
        h = np.uint64(seed) if seed else np.uint64(5381)
        for at in range(starts[i], starts[i + 1]):
            h = (h * np.uint64(33) + np.uint64(block[at])) & _LOW
        out[i] = h


@_compiled  # type: ignore[untyped-decorator]
def _turn32(value: U, bits: int) -> U:
    return ((value << np.uint64(bits)) | (value >> np.uint64(32 - bits))) & _LOW


@_compiled  # type: ignore[untyped-decorator]
def _turn64(value: U, bits: int) -> U:
    return (value << np.uint64(bits)) | (value >> np.uint64(64 - bits))


@_compiled  # type: ignore[untyped-decorator]
def _word(block: AnyArray, at: int, size: int) -> U:
    word = np.uint64(0)
    for k in range(size):
        word |= np.uint64(block[at + k]) << np.uint64(8 * k)
    return word


@_compiled  # type: ignore[untyped-decorator]
def _murmur3_32(block: AnyArray, starts: AnyArray, seed: int, out: AnyArray) -> None:
    for i in range(len(out)):
        h = np.uint64(seed) & _LOW
        at, stop = starts[i], starts[i + 1]
        size = stop - at
        while at < stop:
            whole = min(4, stop - at)
            k = (_turn32((_word(block, at, whole) * _M1) & _LOW, 15) * _M2) & _LOW
            h ^= k
            if whole == 4:
                h = (_turn32(h, 13) * np.uint64(5) + _M3) & _LOW
            at += whole
        h ^= np.uint64(size)
        h = ((h ^ (h >> np.uint64(16))) * _M4) & _LOW
        h = ((h ^ (h >> np.uint64(13))) * _M5) & _LOW
        out[i] = h ^ (h >> np.uint64(16))


@_compiled  # type: ignore[untyped-decorator]
def _xxhash32(block: AnyArray, starts: AnyArray, seed: int, out: AnyArray) -> None:
    start = np.uint64(seed) & _LOW
    for i in range(len(out)):
        at, stop = starts[i], starts[i + 1]
        size = stop - at
        if size >= 16:
            a, b = (start + _P1 + _P2) & _LOW, (start + _P2) & _LOW
            c, d = start, (start - _P1) & _LOW
            while at + 16 <= stop:
                a = (_turn32((a + _word(block, at, 4) * _P2) & _LOW, 13) * _P1) & _LOW
                b = (_turn32((b + _word(block, at + 4, 4) * _P2) & _LOW, 13) * _P1) & _LOW
                c = (_turn32((c + _word(block, at + 8, 4) * _P2) & _LOW, 13) * _P1) & _LOW
                d = (_turn32((d + _word(block, at + 12, 4) * _P2) & _LOW, 13) * _P1) & _LOW
                at += 16
            h = (_turn32(a, 1) + _turn32(b, 7) + _turn32(c, 12) + _turn32(d, 18)) & _LOW
        else:
            h = (start + _P5) & _LOW
        h = (h + np.uint64(size)) & _LOW
        while at + 4 <= stop:
            h = (_turn32((h + _word(block, at, 4) * _P3) & _LOW, 17) * _P4) & _LOW
            at += 4
        while at < stop:
            h = (_turn32((h + np.uint64(block[at]) * _P5) & _LOW, 11) * _P1) & _LOW
            at += 1
        h = ((h ^ (h >> np.uint64(15))) * _P2) & _LOW
        h = ((h ^ (h >> np.uint64(13))) * _P3) & _LOW
        out[i] = h ^ (h >> np.uint64(16))


@_compiled  # type: ignore[untyped-decorator]
def _round64(state: U, word: U) -> U:
    return _turn64(state + word * _Q2, 31) * _Q1


@_compiled  # type: ignore[untyped-decorator]
def _xxhash64(block: AnyArray, starts: AnyArray, seed: int, out: AnyArray) -> None:
    start, none = np.uint64(seed), np.uint64(0)
    for i in range(len(out)):
        at, stop = starts[i], starts[i + 1]
        size = stop - at
        if size >= 32:
            a, b, c, d = start + _Q1 + _Q2, start + _Q2, start, start - _Q1
            while at + 32 <= stop:
                a, b = _round64(a, _word(block, at, 8)), _round64(b, _word(block, at + 8, 8))
                c, d = _round64(c, _word(block, at + 16, 8)), _round64(d, _word(block, at + 24, 8))
                at += 32
            h = _turn64(a, 1) + _turn64(b, 7) + _turn64(c, 12) + _turn64(d, 18)
            for part in (a, b, c, d):
                h = (h ^ _round64(none, part)) * _Q1 + _Q4
        else:
            h = start + _Q5
        h += np.uint64(size)
        while at + 8 <= stop:
            h = _turn64(h ^ _round64(none, _word(block, at, 8)), 27) * _Q1 + _Q4
            at += 8
        if at + 4 <= stop:
            h = _turn64(h ^ (_word(block, at, 4) * _Q1), 23) * _Q2 + _Q3
            at += 4
        while at < stop:
            h = _turn64(h ^ (np.uint64(block[at]) * _Q5), 11) * _Q1
            at += 1
        h = (h ^ (h >> np.uint64(33))) * _Q2
        h = (h ^ (h >> np.uint64(29))) * _Q3
        out[i] = h ^ (h >> np.uint64(32))


_KERNELS: dict[str, Callable[[AnyArray, AnyArray, int, AnyArray], None]] = {
    "crc32": _crc32,
    "fnv1_32": _fnv1_32,
    "fnv1a_32": _fnv1a_32,
    "fnv1_64": _fnv1_64,
    "fnv1a_64": _fnv1a_64,
    "djb2": _djb2,
    "murmur3_32": _murmur3_32,
    "xxhash32": _xxhash32,
    "xxhash64": _xxhash64,
}
FUNCTIONS = tuple(_KERNELS)


def hash_texts(function: str, block: AnyArray, starts: AnyArray, seed: int = 0) -> AnyArray:
    """The hash of every text, both cores at work; KeyError for a function that is not in `FUNCTIONS`."""
    kernel = _KERNELS[function]
    out = np.zeros(max(len(starts) - 1, 0), np.uint64)

    def one(first: int, last: int) -> None:
        kernel(block, starts[first : last + 1], seed, out[first:last])

    over_ranges(len(out), one)
    return out


@_compiled  # type: ignore[untyped-decorator]
def _fill(wanted: AnyArray, slots: AnyArray, mask: int) -> None:
    for i in range(len(wanted)):
        at = np.int64((wanted[i] * _Q1) >> np.uint64(20)) & mask
        while slots[at] >= 0 and wanted[slots[at]] != wanted[i]:
            at = (at + 1) & mask
        if slots[at] < 0:
            slots[at] = i


@_compiled  # type: ignore[untyped-decorator]
def _find(hashes: AnyArray, wanted: AnyArray, slots: AnyArray, mask: int, out: AnyArray) -> None:
    for i in range(len(hashes)):
        at = np.int64((hashes[i] * _Q1) >> np.uint64(20)) & mask
        out[i] = -1
        while slots[at] >= 0:
            if wanted[slots[at]] == hashes[i]:
                out[i] = slots[at]
                break
            at = (at + 1) & mask


def positions_of(hashes: AnyArray, wanted: AnyArray) -> AnyArray:
    """For each of `hashes` (n,) the first position in `wanted` (m,) with that value, or -1: (n,) int32.

    An open-addressed table of four slots a value, filled once and asked by both cores.
    """
    size = 1 << max(int(len(wanted) * 2).bit_length(), 4)
    slots = np.full(size, -1, np.int32)
    out = np.empty(len(hashes), np.int32)
    _fill(wanted, slots, size - 1)

    def one(first: int, last: int) -> None:
        _find(hashes[first:last], wanted, slots, size - 1, out[first:last])

    over_ranges(len(out), one)
    return out

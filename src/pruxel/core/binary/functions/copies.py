"""Unpacking of bytes that were packed by pointing back at what stood before, in the shapes that games use.

Storer & Szymanski, "Data compression via textual substitution" (1982): bits tell literal bytes from pairs of a place
and a length; how these are written differs from game to game, and is said by parameters.
"""

from __future__ import annotations

from typing import Any

import numba
import numpy as np

from pruxel.core.binary.arithmetic import check_size
from pruxel.core.binary.functions.arrays import whole
from pruxel.core.binary.functions.registry import function

_ENDED, _OUTSIDE = -1, -2
_PLACES = {"low": 0, "high": 1, "middle": 2}


@numba.njit(cache=True, nogil=True)
def _copied(data, out, low_first, literal, big, place, bits, least, back, ring, fill):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Fill `out`; returns the bytes read, or a number below zero that says what is wrong."""
    at, made, flags, left = np.int64(0), np.int64(0), np.int64(0), 0
    mask = (1 << bits) - 1
    size = mask + 1
    while made < out.shape[0]:
        if left == 0:
            if at >= data.shape[0]:
                return _ENDED
            flags, left, at = np.int64(data[at]), 8, at + 1
        bit = flags & 1 if low_first else (flags >> 7) & 1
        flags = flags >> 1 if low_first else (flags << 1) & 255
        left -= 1
        if bit == literal:
            if at >= data.shape[0]:
                return _ENDED
            out[made] = data[at]
            at, made = at + 1, made + 1
            continue
        if at + 2 > data.shape[0]:
            return _ENDED
        first, second = np.int64(data[at]), np.int64(data[at + 1])
        at += 2
        word = (first << 8) | second if big else (second << 8) | first
        if place == 0:  # the length in the low bits
            offset, length = word >> (16 - bits), word & ((1 << (16 - bits)) - 1)
        elif place == 1:
            offset, length = word & mask, word >> bits
        else:  # eight bits of the place, then the length, then the rest of the place
            offset = (word & 255) | ((word >> (24 - bits)) << 8)
            length = (word >> 8) & ((1 << (16 - bits)) - 1)
        # With a ring, a place in a window that goes round, in which the first byte stood at `ring`.
        source = made - offset - back if ring < 0 else made - ((made + ring - offset - 1) & mask) - 1
        for n in range(length + least):
            if made >= out.shape[0]:
                break
            if source >= made - n:  # not a byte back
                return _OUTSIDE
            if source + n < 0:
                if ring < 0 or source + n < -size:
                    return _OUTSIDE
                out[made] = fill
            else:
                out[made] = out[source + n]
            made += 1
    return at


@function("Unpacking")
def uncopied(
    data: Any,  # noqa: ANN401
    size: int,
    place_bits: int = 12,
    least: int = 3,
    literal: int = 1,
    first_bit: str = "low",
    length: str = "high",
    word: str = "little",
    back: int = 1,
    ring: int | None = None,
    fill: int = 0,
) -> bytes:
    """Bytes unpacked from literals and copies of earlier ones: eight bits say what the next eight things are.

    The `first_bit` is the 'low' or the 'high' one, and where it is `literal` one byte follows as it is. Else two bytes
    follow, a `word` in 'little' or 'big' order: `place_bits` of it are how far back the copy begins, with `back` added,
    the others its length, with `least` added; the length is in the 'low', the 'high' or the 'middle' bits (between the
    eight low bits of the place and the rest). With `ring` the place is one in a window that goes round, in which the
    first byte stands at `ring`; what was never written there is `fill`.
    """
    raw = np.frombuffer(memoryview(data), np.uint8)
    wanted, bits = whole(size, "'size'"), whole(place_bits, "'place_bits'")
    check_size(wanted)
    if length not in _PLACES or first_bit not in {"low", "high"} or word not in {"little", "big"}:
        raise ValueError(f"there is no copying by first_bit '{first_bit}', length '{length}', word '{word}'")
    if not 8 <= bits <= 15:
        raise ValueError(f"a place has 8 to 15 bits, not {bits}")
    out = np.empty(wanted, np.uint8)
    came, beyond, blank = whole(least, "'least'"), whole(back, "'back'"), whole(fill, "'fill'") & 255
    start = -1 if ring is None else whole(ring, "'ring'")
    if not (0 <= came < 1 << 16 and 0 <= beyond < 1 << 16 and -1 <= start < 1 << bits):
        raise ValueError("'least', 'back' or 'ring' is beyond what a place can be")
    end = _copied(
        raw, out, first_bit == "low", 1 if whole(literal, "'literal'") else 0, word == "big", _PLACES[length], bits,
        came, beyond, start, blank,
    )  # fmt: skip
    if end == _ENDED:
        raise ValueError(f"the {len(raw):,} bytes end before {wanted:,} are unpacked")
    if end == _OUTSIDE:
        raise ValueError("a copy begins where nothing was unpacked yet")
    return out.tobytes()

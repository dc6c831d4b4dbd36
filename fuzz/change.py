"""Changing bytes: what a damaged disk does, what a careless program does, and what somebody with bad intent would."""

from __future__ import annotations

import random
import struct
from collections.abc import Sequence

_NUMBERS = (
    0,
    1,
    2,
    3,
    7,
    127,
    128,
    255,
    256,
    32767,
    65535,
    65536,
    2**24,
    2**31 - 1,
    2**31,
    2**32 - 1,
    2**40,
    2**63,
    2**64 - 1,
)
_FLOATS = tuple(
    struct.pack(form, value)
    for value in (0.0, -0.0, 1.0, -1.0, 1e-45, 3e38, float("inf"), float("nan"))
    for form in ("<f", ">f", "<d")
) + (struct.pack("<d", 1e308),)
_WORDS = (
    b"0", b"-1", b"1e999", b"nan", b"inf", b"99999999999999999999", b"0x_", b"2024-99-99", b"../../etc/passwd", b"\x00",
    b"\xff\xfe", b"\xef\xbb\xbf", b"[[[[[[[[", b"{{{{{{{{", b"*a", b"&a ", b"****", b"**/**/", b"(1,2)*200000000", b"9" * 400,
    b"\xe2\x80\xae", b"'", b'"', b": ", b"- ", b"\n", b"\r\n", b"\t", b"#", b"\\", b"!!python/object:x ", b"1/0", b"%s", b"true",
)  # fmt: skip


def changed(data: bytes, rng: random.Random, others: Sequence[bytes]) -> bytes:
    """A few changes, one after the other."""
    made = bytearray(data)
    for _ in range(rng.choice((1, 1, 1, 2, 3, 8))):
        _change(made, rng, others)
    return bytes(made[: 4 << 20])


def _change(made: bytearray, rng: random.Random, others: Sequence[bytes]) -> None:
    at = rng.randrange(len(made) + 1) if rng.random() < 0.6 else rng.randrange(min(len(made), 256) + 1)
    size = rng.choice((1, 1, 2, 4, 8, 16, 64, 1024))
    match rng.randrange(9):
        case 0 if made:
            made[at % len(made)] ^= 1 << rng.randrange(8)
        case 1 if made:
            made[at % len(made)] = rng.choice((0, 1, 0x7F, 0x80, 0xFE, 0xFF, rng.randrange(256)))
        case 2:
            number, width = rng.choice(_NUMBERS), rng.choice((1, 2, 4, 8))
            made[at : at + width] = (number % (1 << 8 * width)).to_bytes(width, rng.choice(("little", "big")))
        case 3:
            packed = rng.choice(_FLOATS)
            made[at : at + len(packed)] = packed
        case 4:
            del made[at : at + size]
        case 5:
            made[at:at] = made[at : at + size] * rng.choice((1, 2, 50))
        case 6:
            word = rng.choice(_WORDS)
            made[at : at + rng.choice((0, len(word)))] = word
        case 7:
            other = rng.choice(others)
            begin = rng.randrange(len(other) + 1)
            made[at : at + rng.choice((0, size))] = other[begin : begin + size]
        case _:
            if rng.random() < 0.5:
                del made[at:]
            else:
                made += bytes(size)

"""Looking for values in bytes, and reading the bytes at one place as every type."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from pruxel.core.base.arrays import AnyArray
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.binary.elements import Element, decode_floats, element

_WINDOW = 16 << 20
_READ_AS = ("u8", "i8", "u16", "i16", "f16", "u32", "i32", "f32", "u64", "i64", "f64", "unorm8x4", "snorm10_10_10_2")
_LONGEST = 16


def pattern_of(what: str, kind: str, order: str) -> bytes:
    """The bytes to look for: `what` as `hex`, as `text`, or as a number of an element type in byte order `<` or `>`.

    Raises `InputError` when it is none.
    """
    try:
        if kind == "hex":
            found = bytes.fromhex(what)
        elif kind == "text":
            found = what.encode()
        else:
            scalar = _scalar(kind)
            number = float(what) if scalar.code[0] == "f" else int(what, 0)
            found = np.array([number], scalar.dtype(order)).tobytes()
    except (ValueError, OverflowError) as error:
        raise InputError(
            ErrorCode.USAGE, f"'{what}' is no {kind}", expected=_EXPECTED.get(kind, "a number that fits the type")
        ) from error
    if not found:
        raise InputError(ErrorCode.USAGE, "there is nothing to look for")
    return found


_EXPECTED = {"hex": "pairs of hexadecimal digits", "text": "some characters"}


def find_bytes(data: memoryview, pattern: bytes, first: int, most: int, context: Context) -> list[int]:
    """Where a pattern stands, from byte `first` on, at most `most` places. Raises `CancelledError`."""
    found: list[int] = []
    for start in range(first, len(data), _WINDOW):
        context.check()
        part = bytes(data[start : start + _WINDOW + len(pattern) - 1])
        at = part.find(pattern)
        while at >= 0 and len(found) < most:
            found.append(start + at)
            at = part.find(pattern, at + 1)
        if len(found) >= most:
            break
    return found


def find_range(
    data: memoryview, kind: str, order: str, low: float, high: float, first: int, most: int, context: Context
) -> list[int]:
    """Where a number of an element type from `low` to `high` begins, at any byte, from `first` on; at most `most`."""
    scalar = _scalar(kind)
    size, found = scalar.size, list[int]()
    for start in range(first, len(data), _WINDOW):
        context.check()
        part = np.frombuffer(data[start : start + _WINDOW + size - 1], np.uint8)
        hits = np.sort(np.concatenate(list(_in_range(part, scalar, order, low, high))))
        found += (start + hits[: most - len(found)]).tolist()
        if len(found) >= most:
            break
    return found


def _in_range(part: AnyArray, scalar: Element, order: str, low: float, high: float) -> Iterator[AnyArray]:
    for phase in range(scalar.size):
        whole = (len(part) - phase) // scalar.size * scalar.size
        values = part[phase : phase + max(whole, 0)].view(scalar.dtype(order))
        with np.errstate(invalid="ignore"):
            # Zero is in nearly every range and nearly everywhere: it counts only where it is an end of the range.
            inside = (values >= low) & (values <= high) & ((values != 0) | (0.0 in (low, high)))
        yield np.flatnonzero(inside) * scalar.size + phase


def _scalar(kind: str) -> Element:
    found = element(kind)
    if found is None or found.width != 1 or found.packed:
        raise InputError(ErrorCode.USAGE, f"'{kind}' is no type of one number", expected="u8 to f64")
    return found


def read_as_all(data: memoryview, offset: int) -> list[tuple[str, str, str]]:
    """The bytes from `offset` on as every type: its name, the value little endian, the value big endian, in words."""
    found = []
    for name in _READ_AS:
        kind = element(name)
        if kind is None or offset + kind.size > len(data):
            continue
        raw = bytes(data[offset : offset + kind.size])
        found.append((name, _said(raw, kind, "<"), _said(raw, kind, ">")))
    return found


def _said(raw: bytes, kind: Element, order: str) -> str:
    if kind.width > 1 or kind.packed:
        rows = np.frombuffer(raw, np.uint8).reshape(1, -1)
        return " ".join(f"{one:.3g}" for one in decode_floats(rows, kind, 0, order)[0].tolist())
    value = np.frombuffer(raw, kind.dtype(order))[0]
    return f"{float(value):.7g}" if kind.code[0] == "f" else f"{int(value):,}"


def differing(one: memoryview, other: memoryview, most: int) -> list[tuple[int, int]]:
    """The ranges (first, end) in which two files differ, those nearer than 16 bytes joined; at most `most`.

    What one file has beyond the other's end differs too.
    """
    shared = min(len(one), len(other))
    found: list[tuple[int, int]] = []
    for start in range(0, shared, _WINDOW):
        end = min(shared, start + _WINDOW)
        places = np.flatnonzero(np.frombuffer(one[start:end], np.uint8) != np.frombuffer(other[start:end], np.uint8))
        cuts = np.flatnonzero(np.diff(places) >= _LONGEST) + 1
        for run in np.split(places, cuts):
            if len(run):
                found.append((start + int(run[0]), start + int(run[-1]) + 1))
            if len(found) >= most:
                return found
    if len(one) != len(other):
        found.append((shared, max(len(one), len(other))))
    return found

"""The rows of PLY elements as columns, and lists of any length as one row of numbers with their lengths."""

from __future__ import annotations

from dataclasses import dataclass

import numba
import numpy as np

from pruxel.core.base.arrays import AnyArray, places_within
from pruxel.core.base.errors import ErrorCode, Fault, InputError
from pruxel.core.base.limits import Limits
from pruxel.core.formats.ply.head import Element, Head, row_type

_CODES = {"i1": 0, "u1": 1, "i2": 2, "u2": 3, "i4": 4, "u4": 5}


@dataclass(frozen=True, eq=False)
class Columns:
    """Numbers by name (n,), and lists by name: all values one behind the other, and the length of each (n,)."""

    count: int
    numbers: dict[str, AnyArray]
    lists: dict[str, tuple[AnyArray, AnyArray]]


def read_rows(data: memoryview, head: Head, name: str, limits: Limits, faults: list[Fault]) -> dict[str, Columns]:
    """All elements by name; rows that a cut file still has are kept and the rest told. Raises `InputError`."""
    for element in head.elements:
        if element.count > limits.vertices * 4:
            raise InputError(
                ErrorCode.BUDGET,
                f"element '{element.name}' has more rows than one file may hold",
                file=name,
                expected=f"at most {limits.vertices * 4:,}",
                found=f"{element.count:,}",
            )
    return _text_rows(data, head, name) if not head.order else _binary_rows(data, head, name, faults)


def _cut_off(element: Element, name: str, offset: int, found: str) -> InputError:
    return InputError(
        ErrorCode.TRUNCATED,
        f"the file ends within element '{element.name}'",
        file=name,
        offset=offset,
        expected=f"{element.count:,} rows",
        found=found,
    )


def _binary_rows(data: memoryview, head: Head, name: str, faults: list[Fault]) -> dict[str, Columns]:
    found, place = {}, head.size
    for element in head.elements:
        many = [one for one in element.properties if one.length is not None]
        lengths = _first_lengths(data, element, head.order, place)
        kind = row_type(element, head.order, lengths)
        fits = place + kind.itemsize * element.count <= len(data) and element.count > 0
        rows = np.frombuffer(data, kind, element.count, place) if fits else None
        if rows is not None and all(bool((rows[f"{p.name}#"] == n).all()) for p, n in zip(many, lengths, strict=True)):
            found[element.name] = _even(rows, element, lengths)
            place += kind.itemsize * element.count
        elif not many:
            there = max(len(data) - place, 0) // max(kind.itemsize, 1)
            if element.count:
                faults.append(_cut_off(element, name, place, f"{there:,}").fault)
            found[element.name] = _even(np.frombuffer(data, kind, there, min(place, len(data))), element, ())
            place = len(data)
        else:
            found[element.name], place = _uneven(data, element, head.order, place, name)
    return found


def _first_lengths(data: memoryview, element: Element, order: str, place: int) -> tuple[int, ...]:
    """How long the lists of the first row are; 0 where the file has ended."""
    lengths: list[int] = []
    for one in element.properties:
        size = np.dtype(one.type).itemsize
        if one.length is not None:
            width = np.dtype(one.length).itemsize
            room = element.count > 0 and place + width <= len(data)
            count = int(np.frombuffer(data, f"{order}{one.length}", 1, place)[0]) if room else 0
            count = count if 0 <= count * size <= len(data) else 0
            lengths.append(count)
            place += width + count * size
        else:
            place += size
    return tuple(lengths)


def _even(rows: AnyArray, element: Element, lengths: tuple[int, ...]) -> Columns:
    numbers, lists, left = {}, {}, list(lengths)
    for one in element.properties:
        if one.length is None:
            numbers[one.name] = rows[one.name]
        else:
            lists[one.name] = (rows[one.name].reshape(-1), np.full(len(rows), left.pop(0)))
    return Columns(len(rows), numbers, lists)


@numba.njit(cache=True, nogil=True)
def _walk(data, place, count, sizes, codes, widths, swapped, starts, lengths):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Where each property of each row starts (n, k), and how many numbers it has; returns the byte behind, or -1."""
    end = len(data)
    for row in range(count):
        for k in range(len(sizes)):
            if codes[k] < 0:
                starts[row, k], lengths[row, k] = place, 1
                place += sizes[k]
            else:
                width = widths[k]
                if place + width > end:
                    return -1 - row
                value = np.int64(0)
                for b in range(width):
                    at = place + (b if swapped else width - 1 - b)
                    value = (value << 8) | np.int64(data[at])
                if codes[k] % 2 == 0 and value >= (np.int64(1) << (8 * width - 1)):
                    return -1 - row
                place += width
                starts[row, k], lengths[row, k] = place, value
                place += value * sizes[k]
            if place > end or place < 0:
                return -1 - row
    return place


def _uneven(data: memoryview, element: Element, order: str, place: int, name: str) -> tuple[Columns, int]:
    kinds = element.properties
    least = sum(np.dtype(one.length or one.type).itemsize for one in kinds)
    if place + least * element.count > len(data):
        raise _cut_off(element, name, place, f"room for {(len(data) - place) // max(least, 1):,}")
    sizes = np.array([np.dtype(one.type).itemsize for one in kinds], np.int64)
    codes = np.array([-1 if one.length is None else _CODES[one.length] for one in kinds], np.int64)
    widths = np.array([0 if one.length is None else np.dtype(one.length).itemsize for one in kinds], np.int64)
    starts = np.empty((element.count, len(kinds)), np.int64)
    lengths = np.empty((element.count, len(kinds)), np.int64)
    raw = np.frombuffer(data, np.uint8)
    end = int(_walk(raw, place, element.count, sizes, codes, widths, order == ">", starts, lengths))
    if end < 0:
        raise _cut_off(element, name, place, f"{-1 - end:,}")
    numbers, lists = {}, {}
    for k, one in enumerate(kinds):
        dtype = np.dtype(f"{order}{one.type}")
        counts = lengths[:, k]
        inner = places_within(counts)
        at = np.repeat(starts[:, k], counts) + inner * dtype.itemsize
        whole = raw[at[:, None] + np.arange(dtype.itemsize)] if len(at) else np.zeros((0, dtype.itemsize), np.uint8)
        values = np.ascontiguousarray(whole).view(dtype).reshape(-1)
        if one.length is None:
            numbers[one.name] = values
        else:
            lists[one.name] = (values, counts)
    return Columns(element.count, numbers, lists), end


@numba.njit(cache=True, nogil=True)
def _walk_text(values, place, count, is_list, starts, lengths):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    for row in range(count):
        for k in range(len(is_list)):
            if place >= len(values):
                return -1 - row
            many = np.int64(1)
            if is_list[k]:
                if not (values[place] >= 0 and values[place] < 1e9):
                    return -1 - row
                many = np.int64(values[place])
                place += 1
            starts[row, k], lengths[row, k] = place, many
            place += many
            if place > len(values):
                return -1 - row
    return place


def _text_rows(data: memoryview, head: Head, name: str) -> dict[str, Columns]:
    words = bytes(data[head.size :]).split()
    try:
        values = np.fromiter(map(float, words), np.float64, len(words))
    except ValueError as error:
        raise InputError(
            ErrorCode.MALFORMED, "a number of the text makes no sense", file=name, offset=head.size, found=str(error)
        ) from None
    found, place = {}, 0
    for element in head.elements:
        if place + element.count * len(element.properties) > len(values):
            raise _cut_off(element, name, head.size, f"{len(values) - place:,} numbers")
        is_list = np.array([one.length is not None for one in element.properties], np.bool_)
        starts = np.empty((element.count, len(is_list)), np.int64)
        lengths = np.empty((element.count, len(is_list)), np.int64)
        end = int(_walk_text(values, place, element.count, is_list, starts, lengths))
        if end < 0:
            raise _cut_off(element, name, head.size, f"{-1 - end:,}")
        numbers, lists = {}, {}
        for k, one in enumerate(element.properties):
            counts = lengths[:, k]
            inner = places_within(counts)
            picked = values[np.repeat(starts[:, k], counts) + inner]
            if one.length is None:
                numbers[one.name] = picked
            else:
                lists[one.name] = (picked, counts)
        found[element.name] = Columns(element.count, numbers, lists)
        place = end
    return found

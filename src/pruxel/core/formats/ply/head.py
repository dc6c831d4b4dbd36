"""The head of a PLY file: its elements and their properties."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pruxel.core.base.errors import ErrorCode, InputError

_MOST_HEAD = 1 << 20
_TYPES = {
    "char": "i1", "int8": "i1", "uchar": "u1", "uint8": "u1", "short": "i2", "int16": "i2", "ushort": "u2",
    "uint16": "u2", "int": "i4", "int32": "i4", "uint": "u4", "uint32": "u4", "float": "f4", "float32": "f4",
    "double": "f8", "float64": "f8",
}  # fmt: skip
_ORDERS = {"ascii": "", "binary_little_endian": "<", "binary_big_endian": ">"}


@dataclass(frozen=True)
class Property:
    """A number of every row, or a list of them that its length stands before."""

    name: str
    type: str
    length: str | None = None


@dataclass(frozen=True)
class Element:
    """Rows of one make."""

    name: str
    count: int
    properties: tuple[Property, ...]


@dataclass(frozen=True)
class Head:
    """`order` is that of bytes, empty for text; `size` bytes of the head itself; `comments` in their order.

    `strange` are lines that are none of the format's.
    """

    order: str
    elements: tuple[Element, ...]
    comments: tuple[str, ...]
    size: int
    strange: tuple[str, ...] = ()


def read_head(data: memoryview, name: str) -> Head:
    """The head; raises `InputError` with the line that is wrong."""
    text = bytes(data[:_MOST_HEAD])
    end = text.find(b"end_header")
    stop = text.find(b"\n", end) if end >= 0 else -1
    if end >= 0 and stop < 0:
        stop = text.find(b"\r", end)
    if not text.startswith(b"ply") or stop < 0:
        raise _bad(name, 0, "the head of the file has no end", "'ply' … 'end_header'", repr(text[:20]))
    order, elements, comments, strange = None, list[Element](), list[str](), list[str]()
    lines = text[:end].replace(b"\r\n", b"\n").replace(b"\r", b"\n").decode("utf-8", "replace").split("\n")
    for number, line in enumerate(lines[1:], 2):
        words = line.split()
        try:
            if not words or words[0] == "obj_info":
                continue
            if words[0] == "comment":
                comments.append(line.partition("comment")[2].strip())
            elif words[0] == "format":
                order = _ORDERS[words[1]]
            elif words[0] == "element":
                elements.append(Element(words[1], int(words[2]), ()))
            elif words[0] == "property":
                last = elements.pop()
                elements.append(Element(last.name, last.count, (*last.properties, _property(words))))
            else:
                strange.append(line.strip())
        except (KeyError, IndexError, ValueError):
            raise _bad(name, number, f"line {number} of the head makes no sense", "a line of PLY", repr(line)) from None
    if order is None:
        raise _bad(name, 2, "the head does not say the format", "format ascii or binary", "nothing")
    if any(one.count < 0 for one in elements):
        raise _bad(name, 2, "an element has fewer than no rows", "0 or more", str(min(one.count for one in elements)))
    return Head(order, tuple(elements), tuple(comments), stop + 1, tuple(strange))


def _property(words: list[str]) -> Property:
    if words[1] == "list":
        length = _TYPES[words[2]]
        if length[0] == "f":
            raise ValueError(words[2])
        return Property(words[4], _TYPES[words[3]], length)
    return Property(words[2], _TYPES[words[1]])


def row_type(element: Element, order: str, lengths: tuple[int, ...] = ()) -> np.dtype:
    """The rows of an element whose lists have these lengths; a list's length stands as `name#`."""
    fields: list[tuple[str, str] | tuple[str, str, tuple[int, ...]]] = []
    left = list(lengths)
    for number, one in enumerate(element.properties):
        name = one.name if all(p.name != one.name for p in element.properties[:number]) else f"{one.name}~{number}"
        if one.length is None:
            fields.append((name, f"{order}{one.type}"))
        else:
            fields.append((f"{name}#", f"{order}{one.length}"))
            fields.append((name, f"{order}{one.type}", (left.pop(0),)))
    return np.dtype(fields)


def _bad(name: str, line: int, message: str, expected: str, found: str) -> InputError:
    return InputError(ErrorCode.MALFORMED, message, file=name, field=f"line {line}", expected=expected, found=found)

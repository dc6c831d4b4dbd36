"""Read the nodes of a binary FBX file, whatever its version counts with, within budgets."""

from __future__ import annotations

import struct
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from pruxel.core.base.arrays import AnyArray
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.base.limits import Limits
from pruxel.core.formats.fbx.elements import ARRAY_TYPES, MAGIC, WIDE, Element
from pruxel.core.native.codecs import decompress
from pruxel.core.native.threads import Aside

_SAYS = MAGIC[:18]
_DEEPEST = 64
_MOST_DEFLATED = 1033  # times as much cannot come out of deflated bytes
_PLAIN = {"Y": struct.Struct("<h"), "C": struct.Struct("<?"), "B": struct.Struct("<?"), "I": struct.Struct("<i")}
_PLAIN |= {"F": struct.Struct("<f"), "D": struct.Struct("<d"), "L": struct.Struct("<q")}
_ARRAY_HEAD = struct.Struct("<III")
_LENGTH = struct.Struct("<I")
_WORTH_A_THREAD = 1 << 17


def begins_as_binary(head: bytes) -> bool:
    """Whether the binary container stands there."""
    return head.startswith(_SAYS)


def read_binary(data: memoryview, name: str, limits: Limits) -> tuple[list[Element], int]:
    """All top nodes and the version; raises `InputError`."""
    if len(data) < len(MAGIC) + 4:
        raise _bad(name, 0, "the file ends within its head", f"{len(MAGIC) + 4} bytes", f"{len(data)}")
    if data[: len(MAGIC)] != MAGIC:
        raise InputError(
            ErrorCode.MALFORMED,
            "the head of the file is damaged",
            file=name,
            offset=len(_SAYS),
            expected=MAGIC[len(_SAYS) :].hex(" "),
            found=bytes(data[len(_SAYS) : len(MAGIC)]).hex(" "),
            hint="Was it copied as text? Get it again, byte for byte.",
        )
    version = _LENGTH.unpack_from(data, len(MAGIC))[0]
    reader = _Reader(data, name, limits, struct.Struct("<QQQB" if version >= WIDE else "<IIIB"))
    top, place = list[Element](), len(MAGIC) + 4
    while place < len(data):
        found, place = reader.element(place, len(data), 0)
        if found is None:
            break
        top.append(found)
    for properties, number, array in reader.unpacking:
        properties[number] = array.result()
    return top, version


def _bad(name: str, offset: int, message: str, expected: str | None = None, found: str | None = None) -> InputError:
    return InputError(ErrorCode.MALFORMED, message, file=name, offset=offset, expected=expected, found=found)


@dataclass
class _Reader:
    data: memoryview
    name: str
    limits: Limits
    head: struct.Struct
    nodes: int = 0
    unpacked: int = 0
    # Large arrays that are still unpacked on other cores, and the properties that they belong into.
    unpacking: list[tuple[list[Any], int, Aside[AnyArray]]] = field(default_factory=list)

    def element(self, place: int, end: int, depth: int) -> tuple[Element | None, int]:
        """The node at a byte and the byte behind it; None for the empty one that ends a list."""
        if place + self.head.size > end:
            raise _bad(self.name, place, "a node's head reaches beyond what it lies in", f"an end by {end:,}")
        last, count, size, name_size = self.head.unpack_from(self.data, place)
        if last == 0:
            return None, place + self.head.size
        first = place + self.head.size + name_size
        if not first + size <= last <= end:
            found = f"{size:,} bytes of properties and an end at byte {last:,}"
            raise _bad(self.name, place, "a node does not fit into what it lies in", f"an end by byte {end:,}", found)
        self.nodes += 1
        if depth > _DEEPEST or self.nodes > self.limits.records:
            expected = f"at most {_DEEPEST} levels and {self.limits.records:,} nodes"
            raise InputError(
                ErrorCode.BUDGET,
                "there are too many nodes, or too deep",
                file=self.name,
                offset=place,
                expected=expected,
            )
        name = bytes(self.data[place + self.head.size : first]).decode("utf-8", "replace")
        made = Element(name, self.properties(first, first + size, count))
        place = first + size
        while place < last:
            child, place = self.element(place, last, depth + 1)
            if child is None:
                break
            made.children.append(child)
        return made, last

    def properties(self, place: int, end: int, count: int) -> list[Any]:
        if count > end - place:
            raise _bad(
                self.name, place, "more properties than bytes for them", f"at most {end - place:,}", f"{count:,}"
            )
        found = list[Any]()
        for _ in range(count):
            value, place = self.property(place, end)
            if isinstance(value, Aside):
                self.unpacking.append((found, len(found), value))
            found.append(value)
        return found

    def property(self, place: int, end: int) -> tuple[Any, int]:
        code = chr(self.data[place]) if place < end else ""
        plain = _PLAIN.get(code)
        room = end - place - 1
        if code == "C" and room and self.data[place + 1] > 1:
            return chr(self.data[place + 1]), place + 2  # versions 6.x say letters so, later ones only yes and no
        if plain is not None and plain.size <= room:
            return plain.unpack_from(self.data, place + 1)[0], place + 1 + plain.size
        if code in {"S", "R"} and room >= _LENGTH.size:
            size = _LENGTH.unpack_from(self.data, place + 1)[0]
            start = place + 1 + _LENGTH.size
            if start + size <= end:
                raw = bytes(self.data[start : start + size])
                return raw.decode("utf-8", "surrogateescape") if code == "S" else raw, start + size
        if code in ARRAY_TYPES and room >= _ARRAY_HEAD.size:
            return self.array(place, end, code)
        raise _bad(
            self.name,
            place,
            "a property cannot be read",
            "a type that the format has, and room for its value",
            f"type {code!r} with {max(room, 0):,} bytes left",
        )

    def array(self, place: int, end: int, code: str) -> tuple[Any, int]:
        count, packed, size = _ARRAY_HEAD.unpack_from(self.data, place + 1)
        start, dtype = place + 1 + _ARRAY_HEAD.size, ARRAY_TYPES[code]
        wanted = count * dtype.itemsize
        self.unpacked += wanted
        if self.unpacked > self.limits.entry_bytes:
            raise InputError(
                ErrorCode.BUDGET,
                "the arrays of the file claim more than one file may hold",
                file=self.name,
                offset=place,
                expected=f"at most {self.limits.entry_bytes:,} bytes",
                found=f"{self.unpacked:,}",
            )
        sound = wanted <= size * _MOST_DEFLATED if packed else size == wanted
        if start + size > end or packed > 1 or not sound:
            found = f"{count:,} numbers in {size:,} bytes, packed as {packed}"
            raise _bad(self.name, place, "an array does not fit", f"{wanted:,} bytes, or deflated ones", found)
        block = self.data[start : start + size]
        if not packed:
            return np.frombuffer(bytes(block), dtype, count), start + size

        def unpack() -> AnyArray:
            return np.frombuffer(decompress("zlib", block, wanted, self.name, start), dtype, count)

        return Aside(unpack) if wanted > _WORTH_A_THREAD else unpack(), start + size

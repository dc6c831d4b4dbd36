"""The nodes that an FBX file consists of, and their binary form.

The format has no public specification; what is written here is its widely documented layout: a node has a name, typed
properties and nodes below it. Versions from 7500 on count in 64 bits where earlier ones count in 32.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import Any, cast

import numpy as np
from isal import isal_zlib

from pruxel.core.base.arrays import AnyArray, Bytes

MAGIC = b"Kaydara FBX Binary  \x00\x1a\x00"
WIDE = 7500  # the first version that counts in 64 bits
ARRAY_TYPES: dict[str, np.dtype[Any]] = {
    "f": np.dtype("<f4"),
    "d": np.dtype("<f8"),
    "i": np.dtype("<i4"),
    "l": np.dtype("<i8"),
    "b": np.dtype("?"),
    "c": np.dtype("u1"),
}
_CODES = {np.dtype(np.float32): "f", np.dtype(np.float64): "d", np.dtype(np.int32): "i", np.dtype(np.int64): "l"}
_CODES |= {np.dtype(np.bool_): "b"}
_LEAST_DEFLATED = 128
_LEVEL = 1
# What stands behind the last node: 16 bytes of any kind, room to a multiple of 16, the version, zeros, a mark.
_AFTER = bytes.fromhex("fabcab09d0c8d466b176fb831cf7267e")
_END = bytes.fromhex("f85a8c6adef5d97eece90ce3758f290b")


@dataclass(frozen=True)
class Int64:
    """A whole number of 64 bits: an identifier or a time. Plain numbers are written with 32 bits."""

    value: int


@dataclass(eq=False)
class Element:
    """A node of the file: properties are numbers, truths, texts, bytes or one-dimensional arrays."""

    name: str
    properties: Sequence[Any] = ()
    children: list[Element] = field(default_factory=list)

    def add(self, name: str, *properties: Any) -> Element:  # noqa: ANN401
        """Append a node below this one and return it."""
        child = Element(name, properties)
        self.children.append(child)
        return child

    def first(self, name: str) -> Element | None:
        """The first node of a name below this one."""
        return next((child for child in self.children if child.name == name), None)

    def all(self, name: str) -> Iterator[Element]:
        """All nodes of a name right below this one."""
        return (child for child in self.children if child.name == name)


def written(top: Sequence[Element], version: int, *, deflate: bool) -> list[Bytes]:
    """The whole file in pieces; arrays that are not deflated are among them uncopied."""
    arrays = [p for one in top for p in _arrays(one)]
    packed: dict[int, bytes] = {}
    if deflate:
        large = [a for a in arrays if a.nbytes >= _LEAST_DEFLATED]
        with ThreadPoolExecutor(2) as pool:
            packed = dict(zip(map(id, large), pool.map(_deflated, large), strict=True))
    out = _Output(version, packed)
    out.put(MAGIC + struct.pack("<I", version))
    for one in top:
        out.element(one)
    out.put(bytes(out.head.size + 1) + _AFTER)
    out.put(bytes(16 - out.length % 16) + struct.pack("<4xI120x", version) + _END)
    return out.pieces


def _arrays(one: Element) -> Iterator[AnyArray]:
    yield from (p for p in one.properties if isinstance(p, np.ndarray))
    for child in one.children:
        yield from _arrays(child)


def _deflated(array: AnyArray) -> bytes:
    return bytes(isal_zlib.compress(_plain(array), _LEVEL))


def _plain(array: AnyArray) -> Bytes:
    return memoryview(cast("Any", np.ascontiguousarray(array))).cast("B") if array.size else b""


class _Output:
    def __init__(self, version: int, packed: dict[int, bytes]) -> None:
        self.head = struct.Struct("<QQQ" if version >= WIDE else "<III")
        self.packed = packed
        self.pieces: list[Bytes] = []
        self.length = 0

    def put(self, piece: Bytes) -> None:
        self.pieces.append(piece)
        self.length += len(piece)

    def element(self, one: Element) -> None:
        """The node and those below it; where it ends is written into its head when that is known."""
        place = len(self.pieces)
        name = one.name.encode()
        self.put(bytes(self.head.size + 1 + len(name)))
        before = self.length
        for value in one.properties:
            self.property(value)
        size = self.length - before
        for child in one.children:
            self.element(child)
        if one.children or not one.properties:
            self.put(bytes(self.head.size + 1))
        self.pieces[place] = self.head.pack(self.length, len(one.properties), size) + bytes([len(name)]) + name

    def property(self, value: Any) -> None:  # noqa: ANN401
        if isinstance(value, np.ndarray):
            self.array(value)
        elif isinstance(value, bool):
            self.put(struct.pack("<c?", b"C", value))
        elif isinstance(value, int):
            self.put(struct.pack("<ci", b"I", value))
        elif isinstance(value, Int64):
            self.put(struct.pack("<cq", b"L", value.value))
        elif isinstance(value, float):
            self.put(struct.pack("<cd", b"D", value))
        elif isinstance(value, str):
            text = value.encode("utf-8", "surrogateescape")
            self.put(struct.pack("<cI", b"S", len(text)) + text)
        else:
            self.put(struct.pack("<cI", b"R", len(value)))
            self.put(value)

    def array(self, value: AnyArray) -> None:
        code = _CODES[value.dtype].encode()
        packed = self.packed.get(id(value))
        data = _plain(value) if packed is None else packed
        self.put(struct.pack("<cIII", code, value.size, packed is not None, len(data)))
        if len(data):
            self.put(data)

"""The nodes that an FBX file consists of, and their binary form.

The format has no public specification; what is written here is its widely documented layout: a node has a name, typed
properties and nodes below it. Versions from 7500 on count in 64 bits where earlier ones count in 32.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any, cast

import numpy as np
from isal import isal_zlib

from pruxel.core.base.arrays import AnyArray, Bytes
from pruxel.core.native.threads import made_ahead

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
_PART = 1 << 21  # bytes: what one core deflates at a time
_STREAM_HEAD = b"\x78\x01"
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
    out = _Output(version, _deflated([a for a in arrays if a.nbytes >= _LEAST_DEFLATED]) if deflate else {})
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


def _deflated(arrays: Sequence[AnyArray]) -> dict[int, list[Bytes]]:
    """Each array's stream (RFC 1950) by its `id`, in parts that follow each other: cores share the long ones."""
    plain = {id(array): _plain(array) for array in arrays}
    parts = [(key, at) for key, data in plain.items() for at in range(0, len(data), _PART)]

    def packed(part: tuple[int, int]) -> bytes:
        key, at = part
        data, end = plain[key], at + _PART
        stream = isal_zlib.compressobj(_LEVEL, isal_zlib.DEFLATED, -15)
        # One that is not the last ends at a whole byte, and the next does not look back into it.
        ending = isal_zlib.Z_FINISH if end >= len(data) else isal_zlib.Z_FULL_FLUSH
        return bytes(stream.compress(data[at:end]) + stream.flush(ending))

    found: dict[int, list[Bytes]] = {key: [_STREAM_HEAD] for key in plain}
    for (key, _), part in zip(parts, made_ahead(parts, packed), strict=True):
        found[key].append(part)
    for key, data in plain.items():
        found[key].append(isal_zlib.adler32(data).to_bytes(4, "big"))
    return found


def _plain(array: AnyArray) -> Bytes:
    return memoryview(cast("Any", np.ascontiguousarray(array))).cast("B") if array.size else b""


class _Output:
    def __init__(self, version: int, packed: dict[int, list[Bytes]]) -> None:
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
        parts = [_plain(value)] if packed is None else packed
        self.put(struct.pack("<cIII", code, value.size, packed is not None, sum(map(len, parts))))
        for part in parts:
            self.put(part)

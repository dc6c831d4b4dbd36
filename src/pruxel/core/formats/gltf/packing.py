"""Pack the buffer of a glTF file by EXT_meshopt_compression, without loss: attributes and indices, no filters.

Source: Khronos, the extension's text, appendix A (bitstream, version 0). Attributes are stored byte by byte of their
elements, as steps from the element before, sixteen at a time in as few bits as hold them.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numba
import numpy as np

from pruxel.core.base.arrays import AnyArray, ByteArray, Bytes
from pruxel.core.formats.gltf.buffers import ELEMENT_ARRAY_BUFFER, SHAPES, Buffers

NAME = "EXT_meshopt_compression"
_WIDTHS = {code: int(kind[1]) for kind, code in (("u1", 5121), ("u2", 5123), ("u4", 5125), ("f4", 5126))}
_LONGEST_STRIDE = 256
_LEAST_TAIL, _INDEX_TAIL = 32, 4
_FAR = 30  # from here on another one of the two indices before is nearer


@dataclass(frozen=True)
class Stored:
    """What stands in the file: its bytes, its views, and its buffers; the first holds the bytes."""

    pieces: list[Bytes]
    length: int
    views: list[dict[str, Any]]
    buffers: list[dict[str, Any]]


def as_they_are(buffers: Buffers) -> Stored:
    """The arrays themselves, uncopied."""
    return Stored(buffers.pieces, buffers.length, buffers.views, [{"byteLength": buffers.length}])


def packed(buffers: Buffers) -> Stored:
    """The same accessors over packed views; a view that does not get smaller stays as it is."""
    described = {accessor["bufferView"]: accessor for accessor in buffers.accessors}
    inner = Buffers()
    views: list[dict[str, Any]] = []
    bare = 0
    for number, (view, content) in enumerate(zip(buffers.views, buffers.contents, strict=True)):
        data = memoryview(content).cast("B")
        accessor = described.get(number)
        said, found = ("", b"") if accessor is None else _encoded(view, accessor, data)
        if accessor is None or not said or len(found) >= len(data):
            kept = inner.views[inner.view(data, view.get("target"))]
            views.append(kept)
            continue
        place = inner.views[inner.view(found)]
        own = {"buffer": 0, "byteOffset": place["byteOffset"], "byteLength": place["byteLength"]}
        own |= {"byteStride": len(data) // accessor["count"], "count": accessor["count"], "mode": said}
        views.append(view | {"buffer": 1, "byteOffset": bare, "extensions": {NAME: own}})
        bare += len(data) - len(data) % -4
    listed: list[dict[str, Any]] = [{"byteLength": inner.length}]
    if bare:
        # Programs that unpack never look for this one; those that do not are told that they cannot read the file.
        listed.append({"byteLength": bare, "extensions": {NAME: {"fallback": True}}})
    return Stored(inner.pieces, inner.length, views, listed)


def _encoded(view: dict[str, Any], accessor: dict[str, Any], data: memoryview) -> tuple[str, bytes]:
    """Mode and bytes; no mode for what the extension does not pack."""
    width = _WIDTHS[accessor["componentType"]]
    numbers = next(n for n, shape in SHAPES.items() if shape == accessor["type"])
    stride = width * numbers
    raw = np.frombuffer(data, np.uint8)
    if view.get("target") == ELEMENT_ARRAY_BUFFER:
        indices = raw.view(f"<u{width}").astype(np.int64)
        return ("INDICES", encode_indices(indices)) if width > 1 else ("", b"")
    if stride % 4 or stride > _LONGEST_STRIDE:
        return "", b""
    return "ATTRIBUTES", encode_attributes(raw.reshape(-1, stride))


def encode_attributes(rows: ByteArray) -> bytes:
    """Elements (n, stride) uint8, stride a multiple of four, in mode ATTRIBUTES."""
    count, stride = rows.shape
    room = 1 + stride * (count + count // 4 + 32) + max(stride, _LEAST_TAIL)
    out = np.zeros(room, np.uint8)
    end = _attributes(rows, out)
    tail = max(stride, _LEAST_TAIL)
    out[end + tail - stride : end + tail] = rows[0]
    return out[: end + tail].tobytes()


@numba.njit(cache=True, nogil=True)
def _attributes(rows, out):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Write all blocks behind the mark; returns where they end."""
    count, stride = rows.shape
    most = min((8192 // stride) & ~15, 256)
    out[0] = 0xA0
    at = 1
    steps = np.zeros(256, np.uint8)
    for first in range(0, count, most):
        size = min(most, count - first)
        groups = (size + 15) // 16
        for byte in range(stride):
            last = rows[max(first - 1, 0), byte]
            steps[:] = 0
            for k in range(size):
                value = rows[first + k, byte]
                step = int(np.int8(value - last))
                steps[k] = (step << 1) ^ (step >> 7)
                last = value
            heads = at
            at += (groups + 3) // 4
            out[heads:at] = 0
            for group in range(groups):
                begin = 16 * group
                largest, over3, over15 = 0, 0, 0
                for k in range(begin, begin + 16):
                    largest = max(largest, int(steps[k]))
                    over3 += steps[k] >= 3
                    over15 += steps[k] >= 15
                bits, how = 8, 3
                if largest == 0:
                    bits, how = 0, 0
                elif 4 + over3 < 8 + over15 and 4 + over3 < 16:
                    bits, how = 2, 1
                elif 8 + over15 < 16:
                    bits, how = 4, 2
                out[heads + group // 4] |= how << (2 * (group % 4))
                if bits == 8:
                    out[at : at + 16] = steps[begin : begin + 16]
                    at += 16
                elif bits:
                    whole = (1 << bits) - 1
                    further = at + 2 * bits
                    out[at:further] = 0
                    for k in range(16):
                        step = int(steps[begin + k])
                        place = k * bits
                        out[at + place // 8] |= min(step, whole) << (8 - bits - place % 8)
                        if step >= whole:
                            out[further] = step
                            further += 1
                    at = further
    return at


def encode_indices(values: AnyArray) -> bytes:
    """Whole numbers (n,) int64 in mode INDICES: each a zigzag step from one of two before, in 7 bits a byte."""
    out = np.zeros(1 + 5 * len(values) + _INDEX_TAIL, np.uint8)
    return out[: _sequence(values, out) + _INDEX_TAIL].tobytes()


@numba.njit(cache=True, nogil=True)
def _sequence(values, out):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    out[0] = 0xD1
    at, which = 1, 0
    last = np.zeros(2, np.int64)
    for value in values:
        which ^= abs(value - last[which]) >= _FAR
        step = value - last[which]
        last[which] = value
        left = (((step << 1) ^ (step >> 63)) << 1) | which
        while left > 127:
            out[at] = (left & 127) | 128
            at += 1
            left >>= 7
        out[at] = left
        at += 1
    return at

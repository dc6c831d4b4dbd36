"""Buffer views packed by EXT_meshopt_compression: attributes, triangles, indices, and the filters behind them.

Source: Khronos, the extension's text, appendices A (bitstream) and B (filters). Attributes go through imagecodecs.
"""

from __future__ import annotations

import imagecodecs
import numba
import numpy as np

from pruxel.core.base.arrays import AnyArray, ByteArray
from pruxel.core.base.limits import Limits
from pruxel.core.formats.fields import Fields

NAMES = ("EXT_meshopt_compression", "KHR_meshopt_compression")
_MODES = ("ATTRIBUTES", "TRIANGLES", "INDICES")
_FILTERS = ("NONE", "OCTAHEDRAL", "QUATERNION", "EXPONENTIAL")
_TAIL = 16
_MOST_STRIDE = 256


def unpacked(described: Fields, packed: memoryview, limits: Limits) -> bytes:
    """The bytes of a view; raises `InputError` for what does not decode."""
    count = described.integer("count", low=1, high=limits.vertices)
    stride = described.integer("byteStride", low=1, high=_MOST_STRIDE)
    mode = described.choice("mode", _MODES)
    how = described.choice("filter", _FILTERS, "NONE")
    if count * stride > limits.entry_bytes:
        raise described.bad("count", "a view unpacks to implausibly much", f"{limits.entry_bytes:,} bytes", count)
    if mode != "ATTRIBUTES":
        return _indices(described, packed, count, stride, triangles=mode == "TRIANGLES")
    try:
        rows: ByteArray = imagecodecs.meshopt_decode(bytes(packed), shape=(count, stride), dtype=np.uint8)
    except (imagecodecs.MeshoptError, ValueError) as error:
        raise described.bad("mode", f"the packed attributes do not decode ({error})", "whole data", mode) from None
    if how == "NONE":
        return rows.tobytes()
    if stride % 4 or (how == "QUATERNION" and stride != 8) or (how == "OCTAHEDRAL" and stride not in {4, 8}):
        raise described.bad("filter", "a filter does not fit its stride", "rows of 4 or 8 bytes", stride)
    return _filtered(rows, how).tobytes()


def _indices(described: Fields, packed: memoryview, count: int, stride: int, *, triangles: bool) -> bytes:
    if stride not in {2, 4}:
        raise described.bad("byteStride", "packed indices have another width", "2 or 4 bytes", stride)
    data = np.frombuffer(packed, np.uint8)
    out = np.zeros(count, np.int64)
    mark = 0xE0 if triangles else 0xD0
    if len(data) < 1 + _TAIL // 4 or (int(data[0]) & 0xF0) != mark or (int(data[0]) & 0x0F) > 1:
        raise described.bad(
            "mode", "the packed indices begin otherwise", f"0x{mark:02x} or 0x{mark + 1:02x}", bytes(packed[:1]).hex()
        )
    if triangles and (count % 3 or len(data) < 1 + count // 3 + _TAIL):
        raise described.bad("count", "the packed triangles are cut off", "a code for each", count)
    sound = _triangles(data, count // 3, out) if triangles else _sequence(data, out)
    if not sound:
        raise described.bad("mode", "the packed indices do not decode", "whole data", described.text("mode"))
    return out.astype(np.uint16 if stride == 2 else np.uint32).tobytes()


@numba.njit(cache=True, nogil=True)
def _number(data, at, end):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """A whole number of 7 bits a byte, and where it ends; -1 for one that does not end."""
    value = np.int64(0)
    for k in range(5):
        if at >= end:
            return value, np.int64(-1)
        byte = np.int64(data[at])
        at += 1
        value |= (byte & 127) << (7 * k)
        if byte < 128:
            break
    return value & np.int64(0xFFFFFFFF), at


@numba.njit(cache=True, nogil=True)
def _stepped(last, value):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """The number that lies a zigzag step from the last."""
    return (last + ((value >> 1) ^ -(value & 1))) & np.int64(0xFFFFFFFF)


@numba.njit(cache=True, nogil=True)
def _sequence(data, out):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    last = np.zeros(2, np.int64)
    at, end = np.int64(1), np.int64(len(data) - 4)
    for k in range(len(out)):
        value, at = _number(data, at, end)
        if at < 0:
            return False
        which = value & 1
        last[which] = _stepped(last[which], value >> 1)
        out[k] = last[which]
    return at == end


@numba.njit(cache=True, nogil=True)
def _triangles(data, count, out):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Triangles by codes that refer to the last sixteen edges and vertices, to the next new vertex, or to a number."""
    full = np.int64(0xFFFFFFFF)
    edges, vertices = np.full((16, 2), full), np.full(16, full)
    kinds, corners = np.zeros(3, np.int64), np.zeros(3, np.int64)
    edge, vertex = 0, 0
    following, last = np.int64(0), np.int64(0)
    nearest = 13 if data[0] & 15 else 15
    at, end = np.int64(1 + count), np.int64(len(data) - 16)
    for t in range(count):
        code = np.int64(data[1 + t])
        if code < 0xF0:
            place = (edge - 1 - (code >> 4)) & 15
            a, b = edges[place, 0], edges[place, 1]
            third = code & 15
            if third < nearest:
                if third == 0:
                    c = following
                    following = (following + 1) & full
                    vertices[vertex] = c
                    vertex = (vertex + 1) & 15
                else:
                    c = vertices[(vertex - 1 - third) & 15]
            else:
                if third != 15:
                    last = (last + third - (third ^ 3)) & full
                else:
                    value, at = _number(data, at, end)
                    if at < 0:
                        return False
                    last = _stepped(last, value)
                c = last
                vertices[vertex] = c
                vertex = (vertex + 1) & 15
            edges[edge, 0], edges[edge, 1] = c, b
            edge = (edge + 1) & 15
            edges[edge, 0], edges[edge, 1] = a, c
            edge = (edge + 1) & 15
        else:
            if code < 0xFE:
                both = np.int64(data[end + (code & 15)])
                first = np.int64(0)
            else:
                if at >= end:
                    return False
                both = np.int64(data[at])
                at += 1
                first = np.int64(0) if code == 0xFE else np.int64(15)
                if both == 0:
                    following = np.int64(0)
            explicit = code >= 0xFE
            kinds[0], kinds[1], kinds[2] = first, both >> 4, both & 15
            for k in range(3):
                if kinds[k] == 0:
                    corners[k] = following
                    following = (following + 1) & full
                elif k > 0:
                    corners[k] = vertices[(vertex - kinds[k]) & 15]
            for k in range(3):
                if explicit and kinds[k] == 15:
                    value, at = _number(data, at, end)
                    if at < 0:
                        return False
                    last = _stepped(last, value)
                    corners[k] = last
            for k in range(3):
                if k == 0 or kinds[k] == 0 or (explicit and kinds[k] == 15):
                    vertices[vertex] = corners[k]
                    vertex = (vertex + 1) & 15
            a, b, c = corners[0], corners[1], corners[2]
            edges[edge, 0], edges[edge, 1] = b, a
            edge = (edge + 1) & 15
            edges[edge, 0], edges[edge, 1] = c, b
            edge = (edge + 1) & 15
            edges[edge, 0], edges[edge, 1] = a, c
            edge = (edge + 1) & 15
        out[3 * t], out[3 * t + 1], out[3 * t + 2] = a, b, c
    return at == end


def _filtered(rows: ByteArray, how: str) -> AnyArray:
    if how == "EXPONENTIAL":
        packed = rows.view("<i4")
        return np.ldexp(((packed << 8) >> 8).astype(np.float64), packed >> 24).astype("<f4")
    if how == "OCTAHEDRAL":
        return _octahedral(rows.view("i1" if rows.shape[1] == 4 else "<i2"))
    return _quaternions(rows.view("<i2"))


def _octahedral(rows: AnyArray) -> AnyArray:
    """Unit vectors from two coordinates on an octahedron, whose size stands third; the fourth number is kept."""
    x, y = rows[:, 0].astype(np.float32), rows[:, 1].astype(np.float32)
    z = rows[:, 2].astype(np.float32) - np.abs(x) - np.abs(y)
    under = np.minimum(z, np.float32(0))
    x, y = x + np.where(x >= 0, under, -under), y + np.where(y >= 0, under, -under)
    length = np.sqrt(x * x + y * y + z * z)
    grown = np.float32(np.iinfo(rows.dtype).max) / np.where(length > 0, length, 1)
    vectors = np.stack([x, y, z], axis=1) * grown[:, None]
    return np.concatenate([_rounded(vectors).astype(rows.dtype), rows[:, 3:]], axis=1)


def _quaternions(rows: AnyArray) -> AnyArray:
    """Rotations from their three smaller numbers; two bits of the fourth say which one is left out."""
    scale = np.float32(1 / np.sqrt(2)) / (rows[:, 3] | 3).astype(np.float32)
    three = rows[:, :3].astype(np.float32) * scale[:, None]
    fourth = np.sqrt(np.maximum(1 - (three * three).sum(axis=1), 0))
    place = rows[:, 3].astype(np.int64) & 3
    out = np.zeros((len(rows), 4), np.int16)
    row = np.arange(len(rows))
    for k in range(3):
        out[row, (place + 1 + k) % 4] = _rounded(three[:, k] * np.float32(32767))
    out[row, place] = _rounded(fourth * np.float32(32767))
    return out


def _rounded(values: AnyArray) -> AnyArray:
    return np.trunc(values + np.where(values >= 0, np.float32(0.5), np.float32(-0.5)))

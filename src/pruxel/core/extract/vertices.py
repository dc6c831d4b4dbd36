"""Vertex and index blocks → arrays."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from pruxel.core.base.arrays import AnyArray, ByteArray, FloatArray, IndexArray
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.binary.elements import Element, decode_floats, decode_integers, element
from pruxel.core.binary.records import Record
from pruxel.core.binary.values import as_whole, bytes_of, numbers_of, rows_of, text_of, whole_of
from pruxel.core.extract.spec import IndexStream, VertexStream


@dataclass(frozen=True)
class Placed:
    """One element of a vertex: meaning, type and byte offset."""

    semantic: str
    kind: Element
    offset: int


@dataclass
class Attributes:
    """Decoded attributes by meaning: float32 (n, width), joints in their integer type."""

    floats: dict[str, FloatArray] = field(default_factory=dict)
    joints: AnyArray | None = None


def read_vertices(part: Record, stream: VertexStream, entry: str, order: str) -> Attributes:
    """Decode all elements of a part's vertices; raises `InputError` when the block is too short."""
    data = bytes_of(stream.data, part, entry)
    count, stride = whole_of(stream.count, part, entry), whole_of(stream.stride, part, entry)
    rows = _rows(data, count, stride, entry, part)
    result = Attributes()
    for placed in _elements(part, stream, entry):
        if placed.offset + placed.kind.size > stride:
            raise _bad(
                entry,
                part,
                f"element '{placed.semantic}' lies outside the vertex",
                expected=f"an end within {stride} bytes",
                found=f"{placed.offset + placed.kind.size}",
            )
        if placed.semantic == "joints":
            result.joints = decode_integers(rows, placed.kind, placed.offset, order)
        elif placed.semantic != "ignored":
            result.floats[placed.semantic] = decode_floats(rows, placed.kind, placed.offset, order)
    if "position" not in result.floats or result.floats["position"].shape[1] < 3:
        raise _bad(entry, part, "the vertices have no position", expected="an element of three numbers")
    _place_positions(part, stream, result, entry)
    return result


def _place_positions(part: Record, stream: VertexStream, result: Attributes, entry: str) -> None:
    """Undo quantisation: position = bias + scale * stored, each a number or a triple."""
    positions = result.floats["position"][:, :3]
    if stream.position_scale is not None:
        positions = positions * np.asarray(numbers_of(stream.position_scale, part, entry, 1, 3), np.float32)
    if stream.position_bias is not None:
        positions = positions + np.asarray(numbers_of(stream.position_bias, part, entry, 1, 3), np.float32)
    result.floats["position"] = positions


def _elements(part: Record, stream: VertexStream, entry: str) -> list[Placed]:
    if not isinstance(stream.elements, str):
        return [_placed(e.semantic, e.format, e.offset, entry, part) for e in stream.elements]
    found: list[Placed] = []
    for record in rows_of(stream.elements, part, entry):
        semantic = stream.semantics.get(record.own(stream.semantic), "ignored")
        code = record.own(stream.format)
        if code not in stream.formats:
            raise _bad(
                entry,
                part,
                "a vertex element has a format number that the layout does not list",
                expected=f"one of {', '.join(str(k) for k in stream.formats)}",
                found=str(code),
            )
        found.append(
            _placed(
                semantic,
                stream.formats[code],
                as_whole(record.own(stream.offset), stream.offset, record, entry),
                entry,
                part,
            )
        )
    return found


def _placed(semantic: str, kind_name: str, offset: int, entry: str, part: Record) -> Placed:
    kind = element(kind_name)
    if kind is None:
        raise _bad(entry, part, f"'{kind_name}' is not an element type")
    return Placed(semantic, kind, offset)


def _rows(data: memoryview, count: int, stride: int, entry: str, part: Record) -> ByteArray:
    if stride <= 0 or not 0 <= count * stride <= len(data):
        raise _bad(
            entry,
            part,
            "the block of vertices is too short",
            expected=f"{count:,} vertices of {stride} bytes",
            found=f"{len(data):,} bytes",
        )
    return np.frombuffer(data, np.uint8, count * stride).reshape(count, stride)


def read_indices(part: Record, stream: IndexStream, vertices: int, entry: str, order: str) -> IndexArray:
    """The (m, 3) uint32 corners; raises `InputError` when one is beyond the vertices."""
    kind_name = text_of(stream.type, part, entry)
    kind = element(kind_name)
    if kind is None or kind.width != 1 or kind.scalar not in {"u8", "u16", "u32"}:
        raise _bad(entry, part, "not an index type", expected="u8, u16 or u32", found=kind_name)
    data, count = bytes_of(stream.data, part, entry), whole_of(stream.count, part, entry)
    if not 0 <= count * kind.size <= len(data) or count % 3:
        raise _bad(
            entry,
            part,
            "the block of indices does not hold whole triangles",
            expected=f"{count:,} indices of {kind.size} bytes, a multiple of three",
            found=f"{len(data):,} bytes",
        )
    indices = np.frombuffer(data, kind.dtype(order), count).astype(np.uint32)
    if count and int(indices.max()) >= vertices:
        first = int(np.argmax(indices >= vertices))
        raise _bad(
            entry,
            part,
            f"index {first:,} is out of range",
            expected=f"0 to {vertices - 1:,}",
            found=f"{int(indices[first]):,}",
            hint="The index type or the vertex count may be read wrongly; check the layout.",
        )
    return indices.reshape(-1, 3)


def _bad(
    entry: str,
    part: Record,
    message: str,
    *,
    expected: str | None = None,
    found: str | None = None,
    hint: str | None = None,
) -> InputError:
    return InputError(
        ErrorCode.MALFORMED,
        message,
        file=entry,
        offset=part.start,
        field=part.kind,
        expected=expected,
        found=found,
        hint=hint,
    )

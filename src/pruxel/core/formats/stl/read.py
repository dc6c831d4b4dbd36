"""Read STL, binary and text."""

from __future__ import annotations

import re

import numpy as np

from pruxel.core.base.arrays import AnyArray, as_floats, as_indices, usable_rows
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, Fault, InputError
from pruxel.core.formats.plain import plain_scene, vertices_of
from pruxel.core.formats.registry import Find, ReadResult
from pruxel.core.formats.solids import frame_in
from pruxel.core.formats.stl.write import HEAD_BYTES, ROW
from pruxel.core.geometry.normals import vertex_normals
from pruxel.core.scene.model import Primitive
from pruxel.core.scene.origin import Origin

_TEXT = re.compile(rb"\s*solid\b[^\n]*\n\s*(?:facet\s+normal|endsolid)", re.IGNORECASE)
_SOLID = re.compile(rb"(?:^|\n)[ \t]*solid\b[ \t]*([^\r\n]*)", re.IGNORECASE)
_VERTEX = re.compile(rb"vertex\s+(\S+)\s+(\S+)\s+(\S+)", re.IGNORECASE)


def begins(head: bytes) -> bool:
    """Whether first bytes are text of this format; a binary file has no mark."""
    return _TEXT.match(head) is not None


def read(data: memoryview, name: str, _find: Find, context: Context) -> ReadResult:
    """Triangles with a vertex for each distinct place; raises `InputError`.

    The file says neither unit nor axes: millimetres and Z up are taken and told, unless our own head says otherwise.
    """
    context.progress(0.0, name)
    head = bytes(data[:1024])
    faults: list[Fault] = []
    if begins(head) and not _is_binary(data):
        solids = _text(bytes(data), name, context)
    else:
        solids = [("", _binary(data, name, faults))]
    if not any(len(corners) for _, corners in solids):
        raise InputError(
            ErrorCode.MALFORMED,
            "there is no triangle in this STL file",
            file=name,
            expected="facets",
            found=f"{len(data):,} bytes",
        )
    parts = [(title, _primitive(corners, name, faults)) for title, corners in solids if len(corners)]
    said = frame_in(head[:HEAD_BYTES].decode("ascii", "replace"))
    metres, up = said or (0.001, "z")
    notes = [] if said else ["unit taken as millimetres and Z as up, since the file says neither"]
    return ReadResult(plain_scene(name, parts, up, metres, notes), tuple(faults))


def _is_binary(data: memoryview) -> bool:
    """A binary file's size follows from its count, even where its head begins with the word of text files."""
    count = int(np.frombuffer(data, "<u4", 1, HEAD_BYTES)[0]) if len(data) >= HEAD_BYTES + 4 else -1
    return len(data) == HEAD_BYTES + 4 + count * ROW.itemsize


def _binary(data: memoryview, name: str, faults: list[Fault]) -> AnyArray:
    """(m, 3, 3) float32 corners; what is missing at the end of a file is told."""
    if len(data) < HEAD_BYTES + 4:
        raise InputError(
            ErrorCode.TRUNCATED,
            "the file ends within its head",
            file=name,
            offset=len(data),
            expected=f"{HEAD_BYTES + 4} bytes",
            found=f"{len(data)}",
        )
    count = int(np.frombuffer(data, "<u4", 1, HEAD_BYTES)[0])
    there = (len(data) - HEAD_BYTES - 4) // ROW.itemsize
    if there < count:
        faults.append(
            Fault(
                ErrorCode.TRUNCATED,
                "the file ends before its last triangle",
                file=name,
                offset=HEAD_BYTES,
                expected=f"{count:,} triangles",
                found=f"{there:,}",
                hint="It was cut off, or is no STL file.",
            )
        )
    found: AnyArray = np.frombuffer(data, ROW, min(count, there), HEAD_BYTES + 4)["corners"]
    return found


def _text(data: bytes, name: str, context: Context) -> list[tuple[str, AnyArray]]:
    """The solids of a text file by name, each (m, 3, 3) float64."""
    if len(data) > context.limits.text_bytes:
        raise InputError(ErrorCode.BUDGET, "the text is larger than one file may be", file=name)
    starts = list(_SOLID.finditer(data))
    found = []
    for place, start in enumerate(starts):
        end = starts[place + 1].start() if place + 1 < len(starts) else len(data)
        words = _VERTEX.findall(data, start.end(), end)
        try:
            corners = np.array([float(word) for three in words for word in three]).reshape(-1, 3)
        except ValueError as error:
            raise InputError(
                ErrorCode.MALFORMED,
                "a corner is not three numbers",
                file=name,
                offset=start.start(),
                expected="vertex x y z",
                found=str(error),
            ) from None
        found.append((start[1].decode("utf-8", "replace").strip(), corners[: len(corners) // 3 * 3].reshape(-1, 3, 3)))
    return found


def _primitive(corners: AnyArray, name: str, faults: list[Fault]) -> Primitive:
    good = usable_rows(corners)
    if not good.all():
        words = f"{int((~good).sum()):,} triangles have corners that are no numbers and are left out"
        faults.append(Fault(ErrorCode.MALFORMED, words, file=name))
        corners = corners[good]
    positions, indices = vertices_of(np.ascontiguousarray(corners, np.float32).reshape(-1, 3))
    faces = as_indices(indices)
    normals = vertex_normals(positions, faces)
    return Primitive(as_floats(positions, 3), faces, normals=normals, origin=Origin(entry=name))

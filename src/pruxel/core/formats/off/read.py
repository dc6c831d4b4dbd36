"""Read OFF with its letters for what vertices have: ST, C and N; 4 and n are refused."""

from __future__ import annotations

import re

import numpy as np

from pruxel.core.base.arrays import as_floats, usable_rows
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, Fault, InputError
from pruxel.core.formats.plain import plain_scene
from pruxel.core.formats.registry import Find, ReadResult
from pruxel.core.geometry.normals import unit_or_computed, vertex_normals
from pruxel.core.geometry.polygons import cut_outlines
from pruxel.core.scene.model import Primitive
from pruxel.core.scene.origin import Origin

_HEAD = re.compile(rb"\s*(?:#[^\n]*\n\s*)*(ST)?(C)?(N)?(4)?(n)?OFF\b(?!\s*BINARY)")


def begins(head: bytes) -> bool:
    """Whether first bytes are of this format."""
    return _HEAD.match(head) is not None


def read(data: memoryview, name: str, _find: Find, context: Context) -> ReadResult:
    """One mesh; raises `InputError`. Unit and axes are taken as metres and Y up, since the file says neither."""
    context.progress(0.0, name)
    if len(data) > context.limits.text_bytes:
        raise InputError(ErrorCode.BUDGET, "the text is larger than one file may be", file=name)
    text = bytes(data)
    head = _HEAD.match(text)
    if head is None or head[4] or head[5]:
        raise _bad(name, "this is no OFF file of three dimensions", "OFF", repr(text[:20]))
    lines = [line.partition(b"#")[0].split() for line in text[head.end() :].replace(b"\r", b"\n").split(b"\n")]
    lines = [line for line in lines if line]
    try:
        counts = [int(word) for word in lines[0][:2]]
        vertices, faces = counts
    except (IndexError, ValueError):
        raise _bad(name, "the counts cannot be read", "numbers of vertices and faces", repr(lines[:1])[:60]) from None
    if not 0 <= vertices <= len(lines) - 1 or not 0 <= faces <= len(lines) - 1 - vertices:
        found = f"{vertices:,} vertices and {faces:,} faces in {len(lines) - 1:,} lines"
        raise _bad(name, "the file ends before its last line", "a line for each vertex and face", found)
    faults: list[Fault] = []
    positions = _rows(lines[1 : 1 + vertices], 3, name)
    corners, sizes = _faces(lines[1 + vertices : 1 + vertices + faces], positions, name, faults)
    indices, faces_of = cut_outlines(positions, corners, sizes)
    if not len(indices):
        raise _bad(name, "there is no face in this OFF file", "faces", f"{vertices:,} points")
    given = _rows(lines[1 : 1 + vertices], 6, name)[:, 3:] if head[3] else None
    primitive = Primitive(
        as_floats(positions, 3),
        indices,
        normals=vertex_normals(positions, indices) if given is None else unit_or_computed(given, positions, indices),
        face_sizes=faces_of,
        origin=Origin(entry=name),
    )
    notes = ["unit taken as metres and Y as up, since the file says neither"]
    if head[1] or head[2]:
        notes.append(f"{name}: not taken over: colours and UVs of vertices")
    return ReadResult(plain_scene(name, [("", primitive)], "y", 1.0, notes), tuple(faults))


def _rows(lines: list[list[bytes]], width: int, name: str) -> np.ndarray:
    try:
        found = np.array([[float(word) for word in line[:width]] for line in lines], np.float32).reshape(-1, width)
    except ValueError as error:
        raise _bad(name, "a vertex is not its numbers", f"{width} numbers a line", str(error)) from None
    return np.where(usable_rows(found)[:, None], found, 0).astype(np.float32)


def _faces(
    lines: list[list[bytes]], positions: np.ndarray, name: str, faults: list[Fault]
) -> tuple[np.ndarray, np.ndarray]:
    corners, sizes, wrong = list[int](), list[int](), 0
    for line in lines:
        try:
            count = int(line[0])
            face = [int(word) for word in line[1 : 1 + count]]
        except ValueError:
            face, count = [], 0
        if count >= 3 and len(face) == count and min(face) >= 0 and max(face) < len(positions):
            corners += face
            sizes.append(count)
        else:
            wrong += 1
    if wrong:
        words = f"{wrong:,} faces have too few corners, or corners that are no vertices"
        faults.append(Fault(ErrorCode.MALFORMED, words, file=name, expected=f"3 corners below {len(positions):,}"))
    return np.array(corners, np.int64), np.array(sizes, np.int64)


def _bad(name: str, message: str, expected: str, found: str) -> InputError:
    return InputError(ErrorCode.MALFORMED, message, file=name, expected=expected, found=found)

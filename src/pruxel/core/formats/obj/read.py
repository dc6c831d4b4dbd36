"""Read OBJ and MTL."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, field, replace

import numpy as np

from pruxel.core.base.arrays import AnyArray
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, Fault, InputError
from pruxel.core.formats.obj.assemble import Run, build_scene
from pruxel.core.formats.obj.encoding import plain_lines, words_of
from pruxel.core.formats.obj.libraries import with_materials
from pruxel.core.formats.obj.scan import Scanned, scan
from pruxel.core.formats.obj.strokes import Stroke, with_strokes
from pruxel.core.formats.registry import Find, ReadResult
from pruxel.core.formats.solids import frame_in
from pruxel.core.scene.checks import entered
from pruxel.core.scene.reframe import axes_of, reframed

_HEAD = 200
_SHOWN = 5
_MOST_STROKES = 500_000
_FLAT = ("off", "0")
# Statements of the format that a surface of triangles has no place for.
_WITHOUT_PLACE = {
    "g": "groups, where objects name the parts",
    "vp": "points of parameter space",
    "bevel": "bevel interpolation",
    "lod": "level of detail",
    "mg": "merging groups",
    "shadow_obj": "shadow objects",
    "trace_obj": "tracing objects",
}


@dataclass(eq=False)
class Statements:
    """What the lines that are not numbers say: runs of faces, material libraries, smoothing, and what has no place.

    `smoothing` are (first face, group) in order: 0 for hard edges, else a group's number.
    """

    runs: list[Run] = field(default_factory=list)
    libraries: list[str] = field(default_factory=list)
    smoothing: list[tuple[int, int]] = field(default_factory=list)
    strokes: list[Stroke] = field(default_factory=list)
    passed: Counter[str] = field(default_factory=Counter)


def read(data: memoryview, name: str, find: Find, context: Context) -> ReadResult:
    """Read positions, UVs, normals, vertex colours, polygons, objects, groups, smoothing and materials.

    Broken lines are left out and told with their line numbers. Raises `InputError` when there is no face at all.
    """
    if len(data) > context.limits.text_bytes:
        raise InputError(
            ErrorCode.BUDGET,
            "the text is too large",
            file=name,
            expected=f"at most {context.limits.text_bytes:,} bytes",
            found=f"{len(data):,}",
        )
    context.progress(0.0, name)
    notes: list[str] = []
    text = memoryview(plain_lines(data, name, notes))
    found = scan(np.frombuffer(text, np.uint8))
    faults = _broken_lines(found, text, name)
    keep, more = _usable_faces(found, name)
    faults += more
    said = _statements(found, text)
    if not keep.any() and not said.strokes:
        points = f"{len(found.v):,} vertices and {len(found.faces):,} faces"
        raise InputError(
            ErrorCode.MALFORMED,
            "there is no usable face, line or point in this OBJ file",
            file=name,
            expected="lines 'f a b c', 'l a b' or 'p a' that name existing vertices",
            found=f"{points}{_passed_words(said.passed, ', ')}",
            hint=faults[0].line() if faults else "Is this an OBJ file?",
        )
    context.progress(0.5, name)
    scene = with_strokes(build_scene(found, said.runs, said.smoothing, keep, name, notes), found, said.strokes, name)
    context.progress(0.9, name)
    scene = with_materials(scene, said.libraries, find, name, faults, notes)
    if +said.passed:
        notes.append(f"{name}: not taken over: {_passed_words(said.passed)}")
    said_frame = frame_in(bytes(text[:_HEAD]).decode("ascii", "replace"))
    if said_frame is not None:
        metres, up = said_frame
        scene = reframed(scene, axes_of(up).T, metres)
    return ReadResult(entered(replace(scene, notes=tuple(notes)), name), tuple(faults))


def _passed_words(passed: Counter[str], before: str = "") -> str:
    words = [
        f"{count:,} line{'s' if count > 1 else ''} '{key}'"
        + (f" ({_WITHOUT_PLACE[key]})" if key in _WITHOUT_PLACE else "")
        for key, count in sorted(passed.items())
        if count
    ]
    return before + ", ".join(words) if words else ""


def _broken_lines(found: Scanned, data: memoryview, name: str) -> list[Fault]:
    shown = [note for note in found.notes if note.broken][:_SHOWN]
    faults = [
        Fault(
            ErrorCode.MALFORMED,
            f"line {note.line:,} makes no sense and is left out",
            file=name,
            offset=note.start,
            expected="numbers as the format asks",
            found=repr(bytes(data[note.start : min(note.end, note.start + 80)]).decode("utf-8", "replace")),
        )
        for note in shown
    ]
    if found.broken > len(shown):
        faults.append(
            Fault(ErrorCode.MALFORMED, f"{found.broken - len(shown):,} more broken lines are left out", file=name)
        )
    return faults


def _usable_faces(found: Scanned, name: str) -> tuple[AnyArray, list[Fault]]:
    """Which faces name only vertices that exist and are numbers; absent UVs or normals are made absent."""
    corners, faults = found.corners, list[Fault]()
    for column, array, what in ((1, found.vt, "texture coordinates"), (2, found.vn, "normals")):
        beyond = corners[:, column] >= len(array)
        if beyond.any():
            message = f"{int(beyond.sum()):,} face corners name {what} that do not exist; they go without"
            faults.append(Fault(ErrorCode.MALFORMED, message, file=name, expected=f"1 to {len(array):,}"))
            corners[beyond, column] = -1
    inside = (corners[:, 0] >= 0) & (corners[:, 0] < len(found.v))
    outside = int((~inside).sum())
    finite: AnyArray = np.asarray(np.isfinite(found.v).all(axis=1))
    good = inside.copy()
    good[inside] = finite[corners[inside, 0]]
    keep = np.logical_and.reduceat(good, found.faces[:, 0]) if len(found.faces) else np.zeros(0, bool)
    if outside:
        first = int(np.argmax(~inside))
        faults.append(
            Fault(
                ErrorCode.MALFORMED,
                f"{outside:,} face corners name vertices that do not exist; their faces are left out",
                file=name,
                expected=f"1 to {len(found.v):,}",
                found=f"{int(corners[first, 0]) + 1:,}",
            ),
        )
    if not finite.all():
        faults.append(
            Fault(
                ErrorCode.MALFORMED,
                f"{int((~finite).sum()):,} positions are not numbers; faces that use them are left out",
                file=name,
                field=f"vertex {int(np.argmax(~finite)) + 1:,}",
            ),
        )
    return keep, faults


def _statements(found: Scanned, data: memoryview) -> Statements:
    """Cut the faces at `o`, `g` and `usemtl` lines; a part is an object, or a group where there are no objects."""
    lines = [
        (note, *words_of(bytes(data[note.start : min(note.end, note.start + 1000)])))
        for note in found.notes
        if not note.broken
    ]
    by_object = any(key == "o" for _, key, _ in lines)
    said = Statements()
    part, material, start = "", None, 0
    for note, key, rest in lines:
        if key == "mtllib":
            said.libraries.append(rest)
        elif key == "s":
            group = 0 if rest.lower() in _FLAT else int(rest) if rest.isdecimal() and len(rest) < 10 else 1
            said.smoothing.append((note.face, group))
        elif key in {"l", "p"} and len(said.strokes) < _MOST_STROKES:
            said.strokes.append(Stroke(part, material, key, _numbers(rest, note.vertex)))
        elif key == "g" and by_object:
            said.passed["g"] += rest not in {"", "default", part}
        elif key not in {"o", "g", "usemtl"}:
            said.passed[key[:40]] += 1
        else:
            if note.face > start:
                said.runs.append(Run(part, material, start, note.face))
                start = note.face
            if key == "usemtl":
                material = rest
            else:
                part = rest
    if len(found.faces) > start:
        said.runs.append(Run(part, material, start, len(found.faces)))
    return said


def _numbers(rest: str, vertices: int) -> tuple[int, ...]:
    """Zero-based vertices of a line or point statement; relative ones count back from the vertices before it."""
    found = []
    for word in rest.split():
        text = word.partition("/")[0]
        if text.lstrip("-").isdecimal() and len(text) < 10:
            number = int(text)
            found.append(number - 1 if number > 0 else vertices + number)
    return tuple(found)

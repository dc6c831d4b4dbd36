"""Read PLY: text, and binary of both orders."""

from __future__ import annotations

import re

import numpy as np

from pruxel.core.base.arrays import AnyArray, FloatArray, as_floats, usable_rows
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, Fault, InputError
from pruxel.core.formats.plain import plain_scene
from pruxel.core.formats.ply.head import read_head
from pruxel.core.formats.ply.rows import Columns, read_rows
from pruxel.core.formats.registry import Find, ReadResult
from pruxel.core.formats.solids import frame_in
from pruxel.core.geometry.colors import linear_from_srgb
from pruxel.core.geometry.normals import unit_or_computed, vertex_normals
from pruxel.core.geometry.polygons import cut_outlines
from pruxel.core.scene.materials import Material
from pruxel.core.scene.model import Primitive, Strokes
from pruxel.core.scene.origin import Origin

_FLAT = ("s", "t"), ("u", "v"), ("texture_u", "texture_v"), ("texture_s", "texture_t")
_TINTS = ("red", "green", "blue"), ("diffuse_red", "diffuse_green", "diffuse_blue")
_KNOWN = {"x", "y", "z", "nx", "ny", "nz", "alpha"} | {name for names in (*_FLAT, *_TINTS) for name in names}
_CORNERS = ("vertex_indices", "vertex_index")


def begins(head: bytes) -> bool:
    """Whether first bytes are of this format."""
    return re.match(rb"ply\r?\n", head) is not None and b"format " in head[:200]


def read(data: memoryview, name: str, _find: Find, context: Context) -> ReadResult:
    """One mesh of all faces; raises `InputError`. The unit is taken as metres and Y as up unless our head says it."""
    context.progress(0.0, name)
    head = read_head(data, name)
    faults: list[Fault] = []
    found = read_rows(data, head, name, context.limits, faults)
    context.progress(0.5, name)
    vertices, faces = found.get("vertex"), found.get("face")
    if vertices is None or not {"x", "y", "z"} <= vertices.numbers.keys():
        raise _nothing(name, "an element 'vertex' with x, y and z", ", ".join(found) or "no element")
    primitive = _primitive(vertices, faces, found.get("tristrips"), name, faults)
    said = frame_in("\n".join(head.comments))
    metres, up = said or (1.0, "y")
    notes = [] if said else ["unit taken as metres and Y as up, since the file says neither"]
    strange = sorted(vertices.numbers.keys() - _KNOWN)
    others = sorted(found.keys() - {"vertex", "face", "tristrips"})
    if strange or others:
        notes.append(f"{name}: not taken over: {', '.join(strange + [f'element {one}' for one in others])}")
    if head.strange:
        notes.append(f"{name}: lines of the head that are none: {'; '.join(head.strange)[:200]}")
    materials = [Material("vertex colours")] if primitive.colors else []
    shown = primitive if len(primitive.indices) else _points(primitive, name)
    scene = plain_scene(name, [("", shown)], up, metres, notes, materials)
    return ReadResult(scene, tuple(faults))


def _nothing(name: str, expected: str, found: str) -> InputError:
    return InputError(
        ErrorCode.MALFORMED, "there is no surface in this PLY file", file=name, expected=expected, found=found
    )


def _points(primitive: Primitive, name: str) -> Strokes:
    """What has no face, as points."""
    count = len(primitive.positions)
    if not count:
        raise _nothing(name, "vertices", "none")
    places = np.arange(count, dtype=np.uint32).reshape(-1, 1)
    return Strokes(
        primitive.positions, places, colors=primitive.colors, material=primitive.material, origin=primitive.origin
    )


def _columns(vertices: Columns, names: tuple[str, ...]) -> FloatArray | None:
    if not set(names) <= vertices.numbers.keys():
        return None
    return np.stack([vertices.numbers[one].astype(np.float32) for one in names], axis=1)


def _primitive(
    vertices: Columns, faces: Columns | None, strips: Columns | None, name: str, faults: list[Fault]
) -> Primitive:
    positions = _columns(vertices, ("x", "y", "z"))
    assert positions is not None
    corners, sizes, at_corners = _faces(faces, strips)
    good = (corners >= 0) & (corners < len(positions))
    finite = usable_rows(positions)
    good[good] = finite[corners[good].astype(np.int64)]
    face = np.repeat(np.arange(len(sizes)), sizes)
    keep = (np.bincount(face[~good], minlength=len(sizes)) == 0) & (sizes >= 3)
    if not keep.all():
        words = f"{int((~keep).sum()):,} faces have too few corners, or corners that are no vertices"
        faults.append(Fault(ErrorCode.MALFORMED, words, file=name, expected=f"3 corners below {len(positions):,}"))
    rows = np.repeat(keep, sizes)
    vertex, sizes = corners[rows].astype(np.int64), sizes[keep]
    source = np.arange(len(positions))
    uv = next((found for pair in _FLAT if (found := _columns(vertices, pair)) is not None), None)
    if at_corners is not None and uv is None:
        # Each corner has UVs of its own: each becomes a vertex.
        uv, source, vertex = at_corners[rows], vertex, np.arange(len(vertex))
    positions = np.where(finite[:, None], positions, 0)[source].astype(np.float32)
    indices, faces_of = cut_outlines(positions, vertex, sizes)
    given = _columns(vertices, ("nx", "ny", "nz"))
    colors = _colors(vertices, source)
    return Primitive(
        as_floats(positions, 3),
        indices,
        normals=vertex_normals(positions, indices)
        if given is None
        else unit_or_computed(given[source], positions, indices),
        uvs=() if uv is None else (as_floats(np.stack([uv[:, 0], 1 - uv[:, 1]], axis=1), 2),),
        colors=colors,
        face_sizes=faces_of,
        material=0 if colors else None,
        origin=Origin(entry=name),
    )


def _faces(faces: Columns | None, strips: Columns | None) -> tuple[AnyArray, AnyArray, FloatArray | None]:
    """Vertices of all corners (c,), corners of each face (f,), and UVs of each corner (c, 2) where faces hold them."""
    if faces is not None:
        listed = next((faces.lists[one] for one in _CORNERS if one in faces.lists), None)
        if listed is not None:
            corners, sizes = listed
            flat, counts = faces.lists.get("texcoord", (np.zeros(0), np.zeros(0)))
            fits = len(flat) == 2 * len(corners) and bool((counts == 2 * sizes).all())
            return corners.astype(np.int64), sizes.astype(np.int64), flat.reshape(-1, 2) if fits else None
    if strips is not None and "vertex_indices" in strips.lists:
        run, _ = strips.lists["vertex_indices"]
        return _from_strips(run.astype(np.int64))
    return np.zeros(0, np.int64), np.zeros(0, np.int64), None


def _from_strips(run: AnyArray) -> tuple[AnyArray, AnyArray, None]:
    """Triangles of strips that -1 ends."""
    pieces = []
    for strip in np.split(run, np.nonzero(run < 0)[0]):
        one = strip[strip >= 0]
        if len(one) >= 3:
            three = np.stack([one[:-2], one[1:-1], one[2:]], axis=1)
            three[1::2] = three[1::2][:, [1, 0, 2]]
            pieces.append(three)
    corners = np.concatenate(pieces) if pieces else np.zeros((0, 3), np.int64)
    return corners.reshape(-1), np.full(len(corners), 3), None


def _colors(vertices: Columns, source: AnyArray) -> tuple[FloatArray, ...]:
    """Colours as linear light; whole numbers are display values out of all that their type has."""
    said = next((names for names in _TINTS if set(names) <= vertices.numbers.keys()), None)
    if said is None:
        return ()
    names = [*said, *(["alpha"] if "alpha" in vertices.numbers else [])]
    columns = []
    for one in names:
        values = vertices.numbers[one]
        whole = values.dtype.kind in "iu" or float(np.nan_to_num(values).max(initial=0)) > 1
        most = np.iinfo(values.dtype).max if values.dtype.kind in "iu" else 255
        columns.append(np.clip(np.nan_to_num(values.astype(np.float32) / (most if whole else 1)), 0, 1))
    shown = np.stack(columns, axis=1)[source]
    alpha = shown[:, 3:] if len(names) == 4 else np.ones((len(shown), 1), np.float32)
    return (as_floats(np.concatenate([linear_from_srgb(shown[:, :3]), alpha], axis=1), 4),)

"""Read OBJ and MTL."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numba
import numpy as np

from pruxel.core.base.arrays import AnyArray, FloatArray, as_floats, as_indices
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, Fault, InputError
from pruxel.core.formats.obj.mtl import LooseMtl, parse_mtl, slot_images
from pruxel.core.formats.obj.scan import Note, Scanned, scan
from pruxel.core.formats.registry import Find, ReadResult
from pruxel.core.geometry.normals import vertex_normals
from pruxel.core.geometry.polygons import triangulate
from pruxel.core.images.decode import media_type
from pruxel.core.scene.assign import assign_materials
from pruxel.core.scene.edit import unique_names
from pruxel.core.scene.images import EncodedImage, Image
from pruxel.core.scene.materials import Material, Unresolved
from pruxel.core.scene.model import Mesh, Node, Primitive, Scene
from pruxel.core.scene.origin import Origin

_SHOWN = 5


@dataclass(frozen=True)
class _Run:
    """Faces start..stop of one object and one material."""

    part: str
    material: str | None
    start: int
    stop: int


def read(data: memoryview, name: str, find: Find, context: Context) -> ReadResult:
    """Read positions, UVs, normals, objects, groups and materials.

    Broken lines are left out and told with their line numbers. Raises `InputError` when there is no face at all.
    """
    if len(data) > context.limits.text_bytes:
        raise InputError(ErrorCode.BUDGET, "the text is too large", file=name, found=f"{len(data):,} bytes")
    context.progress(0.0, name)
    found = scan(np.frombuffer(data, np.uint8))
    faults = _broken_lines(found, data, name)
    keep, more = _usable_faces(found, name)
    faults += more
    runs, libraries = _runs(found, data)
    if not keep.any():
        raise InputError(
            ErrorCode.MALFORMED,
            "there is no usable face in the file",
            file=name,
            expected="lines 'f a b c' that name existing vertices",
            found=f"{len(found.v):,} vertices and {len(found.faces):,} faces",
            hint=faults[0].line() if faults else "Is this an OBJ file?",
        )
    context.progress(0.5, name)
    corners, face_of = triangulate(found.v, found.corners[:, 0], found.faces[keep])
    original = np.flatnonzero(keep)[face_of]
    scene = _scene(found, runs, corners, original, name)
    context.progress(0.9, name)
    scene = _with_materials(scene, libraries, find, name, faults)
    return ReadResult(scene, tuple(faults))


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
    corners = found.corners
    for column, array in ((1, found.vt), (2, found.vn)):
        corners[corners[:, column] >= len(array), column] = -1
    inside = (corners[:, 0] >= 0) & (corners[:, 0] < len(found.v))
    outside = int((~inside).sum())
    finite: AnyArray = np.asarray(np.isfinite(found.v).all(axis=1))
    good = inside.copy()
    good[inside] = finite[corners[inside, 0]]
    keep = np.logical_and.reduceat(good, found.faces[:, 0]) if len(found.faces) else np.zeros(0, bool)
    faults = []
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


def _runs(found: Scanned, data: memoryview) -> tuple[list[_Run], list[str]]:
    """Cut the faces at `o`, `g` and `usemtl` lines; a part is an object, or a group where there are no objects."""
    statements = [(note, _words(note, data)) for note in found.notes if not note.broken]
    by_object = any(words[0] == "o" for _, words in statements)
    runs: list[_Run] = []
    libraries: list[str] = []
    part, material, start = "", None, 0
    for note, words in statements:
        key, rest = words
        if key == "mtllib":
            libraries.append(rest)
        if key not in {"o", "g", "usemtl"} or (key == "g" and by_object):
            continue
        if note.face > start:
            runs.append(_Run(part, material, start, note.face))
            start = note.face
        if key == "usemtl":
            material = rest
        else:
            part = rest
    runs.append(_Run(part, material, start, len(found.faces)))
    return [run for run in runs if run.stop > run.start], libraries


def _words(note: Note, data: memoryview) -> tuple[str, str]:
    text = bytes(data[note.start : min(note.end, note.start + 1000)]).decode("utf-8", "replace")
    key, _, rest = text.strip().partition(" ")
    return key, rest.strip()


@numba.njit(cache=True, nogil=True)
def _unique(corners, table, new_of_corner, firsts):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Number distinct rows of (n, 3) in order of first use by an open hash table; returns how many."""
    mask = np.int64(len(table) - 1)
    count = 0
    for i in range(len(corners)):
        a, b, c = corners[i, 0], corners[i, 1], corners[i, 2]
        slot = (a * 73856093 ^ b * 19349663 ^ c * 83492791) & mask
        while True:
            known = table[slot]
            if known < 0:
                table[slot] = count
                firsts[count] = i
                new_of_corner[i] = count
                count += 1
                break
            j = firsts[known]
            if corners[j, 0] == a and corners[j, 1] == b and corners[j, 2] == c:
                new_of_corner[i] = known
                break
            slot = (slot + 1) & mask
    return count


def _vertices(corners: AnyArray) -> tuple[AnyArray, AnyArray]:
    """The distinct (v, vt, vn) rows in order of first use, and the vertex of each corner."""
    size = 1 << max(int(len(corners) * 1.5).bit_length(), 4)
    new_of_corner, firsts = np.empty(len(corners), np.uint32), np.empty(len(corners), np.int64)
    count = _unique(np.ascontiguousarray(corners), np.full(size, -1, np.int64), new_of_corner, firsts)
    return corners[firsts[:count]], new_of_corner


def _scene(found: Scanned, runs: list[_Run], corners: AnyArray, face_of: AnyArray, name: str) -> Scene:
    stem = name.rsplit("/", 1)[-1].rsplit(".", 1)[0]
    materials: dict[str, int] = {}
    primitives: dict[str, list[Primitive]] = {}
    for run in runs:
        low, high = np.searchsorted(face_of, [run.start, run.stop])
        if high > low:
            rows = _picked(found.corners, corners[low:high].reshape(-1))
            material = None if run.material is None else materials.setdefault(run.material, len(materials))
            primitives.setdefault(run.part or stem, []).append(_primitive(found, rows, material, name))
    meshes = tuple(Mesh(part, tuple(items)) for part, items in primitives.items())
    nodes = unique_names([Node(mesh.name, mesh=i) for i, mesh in enumerate(meshes)])
    listed = tuple(Material(material) for material in materials)
    return Scene(stem, nodes, tuple(range(len(nodes))), meshes, listed)


def _picked(corners: AnyArray, wanted: AnyArray) -> AnyArray:
    """Rows of the corners; a file of triangles only wants them all in order, which costs no copy."""
    first = int(wanted[0])
    if np.array_equal(wanted, np.arange(first, first + len(wanted))):
        return corners[first : first + len(wanted)]
    return corners[wanted]


def _primitive(found: Scanned, rows: AnyArray, material: int | None, name: str) -> Primitive:
    vertices, flat = _vertices(rows)
    positions = as_floats(found.v[vertices[:, 0]], 3)
    indices = as_indices(flat)
    uvs: tuple[FloatArray, ...] = ()
    if len(found.vt) and (vertices[:, 1] >= 0).any():
        picked = found.vt[np.maximum(vertices[:, 1], 0)]
        picked[:, 1] = 1.0 - picked[:, 1]
        uvs = (as_floats(picked, 2),)
    computed = vertex_normals(positions, indices)
    normals = computed
    if len(found.vn) and (vertices[:, 2] >= 0).any():
        given = found.vn[np.maximum(vertices[:, 2], 0)]
        length = np.linalg.norm(given, axis=1, keepdims=True)
        usable = (vertices[:, 2:] >= 0) & (length > 1e-6) & np.isfinite(length)
        normals = as_floats(np.where(usable, given / np.where(usable, length, 1), computed), 3)
    return Primitive(positions, indices, normals, uvs=uvs, material=material, origin=Origin(entry=name))


def _with_materials(scene: Scene, libraries: list[str], find: Find, name: str, faults: list[Fault]) -> Scene:
    described: dict[str, LooseMtl] = {}
    for library in libraries:
        data = find(library)
        if data is None:
            faults.append(
                Fault(
                    ErrorCode.REFERENCE,
                    f"the material file '{library}' is missing",
                    file=name,
                    hint="The parts keep plain materials of the same names.",
                ),
            )
            continue
        described |= parse_mtl(data.decode("utf-8", "replace"))
    assigned: dict[int, tuple[Material, dict[str, Image]]] = {}
    for index, material in enumerate(scene.materials):
        loose = described.get(material.name)
        if loose is not None:
            assigned[index] = _resolved(loose, find)
    return assign_materials(scene, assigned)


def _resolved(loose: LooseMtl, find: Find) -> tuple[Material, dict[str, Image]]:
    found: dict[str, tuple[str, EncodedImage]] = {}
    missing: list[Unresolved] = []
    for slot, link in loose.textures.items():
        data = find(link)
        if data is None:
            missing.append(Unresolved(slot, link, "no such file beside the model or in the sources"))
            continue
        stem = link.replace("\\", "/").rsplit("/", 1)[-1].rsplit(".", 1)[0]
        found[slot] = (stem, EncodedImage(data, media_type(data, link)))
    material = replace(loose.material, unresolved=tuple(missing))
    if "opacity" in found and material.alpha_mode == "OPAQUE":
        material = replace(material, alpha_mode="BLEND")
    return material, slot_images(found)

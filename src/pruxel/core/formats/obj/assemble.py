"""Numbers of an OBJ file → meshes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import AnyArray, FloatArray, IndexArray, as_floats, as_indices, places_within
from pruxel.core.formats.obj.scan import Scanned
from pruxel.core.geometry.colors import linear_from_srgb
from pruxel.core.geometry.normals import unit_or_computed, vertex_normals
from pruxel.core.geometry.polygons import face_sizes, triangulate
from pruxel.core.geometry.unique import unique_corners
from pruxel.core.scene.edit import unique_names
from pruxel.core.scene.materials import Material
from pruxel.core.scene.model import Mesh, Node, Primitive, Scene
from pruxel.core.scene.origin import Origin

_MOST_CORNERS = 4096


@dataclass(frozen=True)
class Run:
    """Faces start..stop of one object and one material."""

    part: str
    material: str | None
    start: int
    stop: int


def build_scene(
    found: Scanned, runs: list[Run], smoothing: list[tuple[int, int]], keep: AnyArray, name: str, notes: list[str]
) -> Scene:
    """Parts by runs of faces; materials by name only. `keep` (f,) says which faces count."""
    if smoothing and len(found.corners):
        _split_by_smoothing(found, smoothing)
    faces = found.faces[keep]
    corners, face_of, fans = triangulate(found.v, found.corners[:, 0], faces, _MOST_CORNERS)
    if fans:
        notes.append(
            f"{name}: {fans:,} polygons of more than {_MOST_CORNERS:,} corners are cut from their first corner"
        )
    original = np.flatnonzero(keep)
    stem = name.rsplit("/", 1)[-1].rsplit(".", 1)[0]
    materials: dict[str, int] = {}
    primitives: dict[str, list[Primitive]] = {}
    for run in runs:
        first, last = np.searchsorted(original, [run.start, run.stop])
        low, high = np.searchsorted(face_of, [first, last])
        if high > low:
            rows = _picked(found.corners, corners[low:high].reshape(-1))
            material = None if run.material is None else materials.setdefault(run.material, len(materials))
            sizes = None if fans else face_sizes(faces[first:last, 1])
            primitives.setdefault(run.part or stem, []).append(_primitive(found, rows, sizes, material, name))
    meshes = tuple(Mesh(part, tuple(items)) for part, items in primitives.items())
    nodes = unique_names([Node(mesh.name, mesh=i) for i, mesh in enumerate(meshes)])
    listed = tuple(Material(material) for material in materials)
    return Scene(stem, nodes=nodes, roots=tuple(range(len(nodes))), meshes=meshes, materials=listed)


def _split_by_smoothing(found: Scanned, smoothing: list[tuple[int, int]]) -> None:
    """Give corners without a normal a negative number in its place: one a face for hard edges, one a smoothing group.

    Vertices are told apart by it afterwards, so that faces share normals only where the file says so.
    """
    starts = np.array([face for face, _ in smoothing])
    groups = np.array([group for _, group in smoothing])
    faces = np.arange(len(found.faces))
    place = np.searchsorted(starts, faces, "right") - 1
    _, dense = np.unique(groups, return_inverse=True)
    hard = (place >= 0) & (groups[place] == 0)
    mark = np.where(place < 0, -1, -2 - dense[place])
    mark = np.where(hard, -2 - len(groups) - faces, mark)
    counts = found.faces[:, 1]
    used = np.zeros(len(found.corners), np.int64)
    used[np.repeat(found.faces[:, 0], counts) + places_within(counts)] = np.repeat(mark, counts)
    absent = found.corners[:, 2] < 0
    found.corners[absent, 2] = np.where(used[absent] < 0, used[absent], -1)


def _picked(corners: AnyArray, wanted: AnyArray) -> AnyArray:
    """Rows of the corners; a file of triangles only wants them all in order, which costs no copy."""
    first = int(wanted[0])
    if np.array_equal(wanted, np.arange(first, first + len(wanted))):
        return corners[first : first + len(wanted)]
    return corners[wanted]


def _primitive(found: Scanned, rows: AnyArray, sizes: IndexArray | None, material: int | None, name: str) -> Primitive:
    firsts, flat = unique_corners(rows[:, 0], len(found.v), [rows[:, 1:]])
    vertices = rows[firsts]
    positions = as_floats(found.v[vertices[:, 0]], 3)
    indices = as_indices(flat)
    uvs: tuple[FloatArray, ...] = ()
    if len(found.vt) and (vertices[:, 1] >= 0).any():
        picked = found.vt[np.maximum(vertices[:, 1], 0)]
        picked[:, 1] = 1.0 - picked[:, 1]
        uvs = (as_floats(np.nan_to_num(picked, nan=0.0, posinf=0.0, neginf=0.0), 2),)
    colors: tuple[FloatArray, ...] = ()
    if found.vc.shape[1]:
        shown = np.clip(np.nan_to_num(found.vc[vertices[:, 0]]), 0, 1)
        colors = (as_floats(np.insert(linear_from_srgb(shown), 3, 1.0, axis=1), 4),)
    if len(found.vn) and (vertices[:, 2] >= 0).any():
        given = np.where(vertices[:, 2:] >= 0, found.vn[np.maximum(vertices[:, 2], 0)], 0)
        normals = unit_or_computed(given, positions, indices)
    else:
        normals = vertex_normals(positions, indices)
    return Primitive(
        positions,
        indices,
        normals=normals,
        uvs=uvs,
        colors=colors,
        face_sizes=sizes,
        material=material,
        origin=Origin(entry=name),
    )

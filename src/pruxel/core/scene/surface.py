"""The triangles of a mesh as one surface, across its materials, and what changes faces or vertices given back to it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np

from pruxel.core.base.arrays import AnyArray, FloatArray, IndexArray, as_indices, frozen
from pruxel.core.geometry.compact import apart, compacted
from pruxel.core.geometry.places import places
from pruxel.core.geometry.polygons import face_sizes
from pruxel.core.scene.model import Mesh, MorphTarget, Primitive


@dataclass(frozen=True, eq=False)
class Surface:
    """All primitives behind each other: positions (n, 3), indices (m, 3).

    vertices_from, faces_from (p + 1,): where the vertices and faces of each primitive begin, and the end.
    """

    positions: FloatArray
    indices: IndexArray
    vertices_from: AnyArray
    faces_from: AnyArray

    def by_primitive(self, faces: AnyArray) -> list[AnyArray]:
        """Values (m, …) of faces, apart by primitive."""
        return [faces[a:b] for a, b in zip(self.faces_from[:-1], self.faces_from[1:], strict=True)]


def surface_of(mesh: Mesh) -> Surface:
    """The whole surface of a mesh; one primitive alone is not copied."""
    if len(mesh.primitives) == 1:
        [p] = mesh.primitives
        return Surface(p.positions, p.indices, np.array([0, len(p.positions)]), np.array([0, len(p.indices)]))
    vertices = np.cumsum([0, *(len(p.positions) for p in mesh.primitives)])
    faces = np.cumsum([0, *(len(p.indices) for p in mesh.primitives)])
    positions = np.concatenate([p.positions for p in mesh.primitives] or [np.zeros((0, 3), np.float32)])
    indices = [p.indices + np.uint32(first) for p, first in zip(mesh.primitives, vertices, strict=False)]
    return Surface(positions, np.concatenate(indices or [np.zeros((0, 3), np.uint32)]), vertices, faces)


def triangles_of_places(surface: Surface, distance: float = 0.0) -> tuple[IndexArray, int]:
    """The (m, 3) triangles of a surface in places, where vertices no farther apart are one, and how many there are."""
    first, place = places(surface.positions, distance)
    return as_indices(place[surface.indices]), len(first)


def polygon_of_face(primitive: Primitive) -> AnyArray:
    """(m,) int64: the polygon that each triangle was cut from."""
    if primitive.face_sizes is None:
        return np.arange(len(primitive.indices))
    return np.repeat(np.arange(len(primitive.face_sizes)), primitive.face_sizes.astype(np.int64) - 2)


def with_faces(primitive: Primitive, keep: AnyArray) -> Primitive:
    """The primitive with some of its triangles, (m,) bool, and all of its vertices; polygons as in `part_of`."""
    if bool(keep.all()):
        return primitive
    return replace(primitive, indices=as_indices(primitive.indices[keep]), face_sizes=_sizes_left(primitive, keep))


def part_of(primitive: Primitive, keep: AnyArray) -> Primitive:
    """Some triangles of a primitive, (m,) bool, with the vertices that these use.

    Polygons that lose one fall apart into the triangles that are left.
    """
    if bool(keep.all()):
        return used_only(primitive)
    old_of_new, indices = compacted(primitive.indices, keep, len(primitive.positions))
    sizes = _sizes_left(primitive, keep)
    if old_of_new is None:
        return replace(primitive, indices=as_indices(indices), face_sizes=sizes)
    return gathered(primitive, old_of_new, as_indices(indices), sizes)


def parts_by(primitive: Primitive, label: AnyArray) -> Iterator[tuple[int, Primitive]]:
    """The primitive taken apart by a label of each triangle, (m,) uint32: each label and its part as in `part_of`."""
    if bool((label == label[:1]).all()):
        yield from ((int(one), used_only(primitive)) for one in label[:1])
        return
    polygon = None if primitive.face_sizes is None else polygon_of_face(primitive)
    for one, faces, old_of_new, indices in apart(primitive.indices, label, len(primitive.positions)):
        sizes = None if polygon is None else _whole_or_cut(primitive, polygon[faces])
        yield one, gathered(primitive, old_of_new, as_indices(indices), sizes)


def _sizes_left(primitive: Primitive, keep: AnyArray) -> IndexArray | None:
    return None if primitive.face_sizes is None else _whole_or_cut(primitive, polygon_of_face(primitive)[keep])


def _whole_or_cut(primitive: Primitive, polygon: AnyArray) -> IndexArray | None:
    """Sizes of faces that are left, by the polygon of each triangle that is, ascending.

    A polygon that is whole stays one; of others each triangle counts for itself.
    """
    assert primitive.face_sizes is not None
    left = np.bincount(polygon - polygon[0]) if len(polygon) else np.zeros(0, np.int64)
    mine = np.flatnonzero(left)
    left, sizes = left[mine], primitive.face_sizes[mine + polygon[:1]].astype(np.int64)
    whole = left == sizes - 2
    return face_sizes(np.repeat(np.where(whole, sizes, 3), np.where(whole, 1, left)))


def gathered(
    primitive: Primitive, old_of_new: AnyArray, indices: IndexArray, face_sizes: IndexArray | None
) -> Primitive:
    """The primitive with other vertices, old_of_new (n,), and the faces (m, 3) of these."""

    def taken(values: AnyArray) -> AnyArray:
        return frozen(values.take(old_of_new, axis=0))  # in a third of the time that values[old_of_new] takes

    def some(values: AnyArray | None) -> AnyArray | None:
        return None if values is None else taken(values)

    def target(one: MorphTarget) -> MorphTarget:
        return MorphTarget(
            one.name, some(one.positions), normals=some(one.normals), tangents=some(one.tangents),
            uvs=tuple(map(taken, one.uvs)), colors=tuple(map(taken, one.colors)),
        )  # fmt: skip

    return replace(
        primitive,
        positions=taken(primitive.positions),
        indices=as_indices(indices),
        normals=some(primitive.normals),
        tangents=some(primitive.tangents),
        uvs=tuple(map(taken, primitive.uvs)),
        colors=tuple(map(taken, primitive.colors)),
        joints=some(primitive.joints),
        weights=some(primitive.weights),
        attributes=tuple(replace(a, values=taken(a.values)) for a in primitive.attributes),
        targets=tuple(target(one) for one in primitive.targets),
        face_sizes=face_sizes,
    )


def used_only(primitive: Primitive) -> Primitive:
    """The primitive without the vertices that no face uses."""
    every = np.ones(len(primitive.indices), bool)
    old_of_new, indices = compacted(primitive.indices, every, len(primitive.positions))
    if old_of_new is None:
        return primitive
    return gathered(primitive, old_of_new, as_indices(indices), primitive.face_sizes)


def remeshed(mesh: Mesh, primitives: Sequence[Primitive]) -> Mesh:
    """The mesh with these primitives; those without a face are left out."""
    return replace(mesh, primitives=tuple(p for p in primitives if len(p.indices)))

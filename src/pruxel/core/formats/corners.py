"""Polygons with layers of normals, UVs, colours and weights → primitives whose vertices have one of each."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from pruxel.core.base.arrays import AnyArray, FloatArray, as_floats, frozen, places_within, usable_rows
from pruxel.core.base.errors import ErrorCode, Fault
from pruxel.core.geometry.normals import unit_or_computed, vertex_normals
from pruxel.core.geometry.polygons import cut_outlines
from pruxel.core.geometry.unique import unique_corners
from pruxel.core.native.rows import taken
from pruxel.core.scene.model import MorphTarget, Primitive
from pruxel.core.scene.origin import Origin

_MOST_INFLUENCES = 64
_LARGEST_WEIGHT = 1e6


@dataclass(frozen=True, eq=False)
class Influences:
    """Which joints hold each control point: joints (p, k) uint16, weights (p, k) float32."""

    joints: AnyArray
    weights: FloatArray


@dataclass(frozen=True, eq=False)
class Shape:
    """By how much a shape moves each control point (p, 3), and its normals where it says so."""

    name: str
    positions: FloatArray
    normals: FloatArray | None = None


def influences_of(point: AnyArray, joint: AnyArray, weight: AnyArray, points: int) -> Influences:
    """For each point the joints that hold it, strongest first; one that none holds has weight 0.

    point, joint, weight (n,): who holds whom, how much, in any order; what is no weight holds nothing.
    """
    fits = (point >= 0) & (point < points) & (joint >= 0) & (weight > 0) & (weight < _LARGEST_WEIGHT)
    point, joint, weight = point[fits].astype(np.int64), joint[fits], weight[fits]
    order = np.lexsort((-weight, point))
    point, weight, joint = point[order], weight[order], joint[order]
    counts = np.bincount(point, minlength=points)
    place = places_within(counts)
    width = min(max(int(counts.max(initial=1)), 1), _MOST_INFLUENCES)
    joints, weights = np.zeros((points, width), np.uint16), np.zeros((points, width), np.float32)
    kept = place < width
    joints[point[kept], place[kept]] = joint[kept]
    weights[point[kept], place[kept]] = weight[kept]
    total = weights.sum(axis=1, keepdims=True)
    return Influences(joints, np.where(total > 0, weights / np.maximum(total, 1e-12), 0).astype(np.float32))


@dataclass(eq=False)
class Polygons:
    """Sound polygons of a geometry: control points (p, 3); point of each corner (c,); where they stood in the file.

    `sizes` (f,) corners of each face; `corner` (c,) and `face` (f,) numbers among all of the file.
    """

    points: AnyArray
    point: AnyArray
    sizes: AnyArray
    corner: AnyArray
    face: AnyArray
    faults: list[Fault] = field(default_factory=list)

    @property
    def unbroken(self) -> bool:
        """Whether these are the first corners of the file, and none between them is left out."""
        return not len(self.corner) or int(self.corner[-1]) == len(self.corner) - 1


def sound_polygons(points: AnyArray, point: AnyArray, sizes: AnyArray, name: str, file: str) -> Polygons:
    """The polygons that have three corners or more, all of points that exist and are numbers; others are told."""
    found = Polygons(points, point, sizes, np.arange(len(point)), np.arange(len(sizes)))
    keep = sizes >= 3
    usable = usable_rows(points)
    inside = not len(point) or (int(point.min()) >= 0 and int(point.max()) < len(points))
    if not (inside and usable.all()):
        good = (point >= 0) & (point < len(points))
        good[good] = usable[point[good]]
        face = np.repeat(np.arange(len(sizes)), sizes)
        keep &= np.bincount(face[~good], minlength=len(sizes)) == 0
    if not keep.all():
        words = f"{int((~keep).sum()):,} polygons of '{name}' have too few corners, or corners that are no points"
        told = Fault(ErrorCode.MALFORMED, words, file=file, expected=f"3 corners below {len(points):,}")
        found = chosen(found, keep)
        found.faults.append(told)
    return found


def chosen(polygons: Polygons, keep: AnyArray) -> Polygons:
    """Some of the faces (f,) bool."""
    rows = np.repeat(keep, polygons.sizes)
    return Polygons(
        polygons.points,
        polygons.point[rows],
        polygons.sizes[keep],
        polygons.corner[rows],
        polygons.face[keep],
        list(polygons.faults),
    )


@dataclass(frozen=True, eq=False)
class Layers:
    """What stands at each corner (c, …), float64, absent where the file has none; `apart` (c,) keeps faces apart."""

    normals: AnyArray | None
    tangents: AnyArray | None
    uvs: tuple[AnyArray, ...]
    colors: tuple[AnyArray, ...]
    apart: AnyArray | None


def primitive_of(
    polygons: Polygons,
    layers: Layers,
    faces: AnyArray,
    material: int | None,
    influences: Influences | None,
    shapes: Sequence[Shape],
    file: str,
) -> Primitive:
    """The primitive of some faces (f,) bool; corners that are alike in everything become one vertex."""
    # Mostly all are of one material: a mask over them costs as much as all else.
    rows = slice(None) if faces.all() else np.repeat(faces, polygons.sizes)
    point, sizes = polygons.point[rows], polygons.sizes[faces]

    def some(values: AnyArray | None) -> AnyArray | None:
        return None if values is None else np.asarray(values[rows], np.float32)

    normals, tangents = some(layers.normals), some(layers.tangents)
    uvs, colors = ([np.asarray(one[rows], np.float32) for one in each] for each in (layers.uvs, layers.colors))
    told_apart = [one for one in (normals, tangents, *uvs, *colors) if one is not None]
    if layers.apart is not None:
        told_apart.append(layers.apart[rows][:, None].astype(np.int64))
    first, vertex = unique_corners(point, len(polygons.points), told_apart)
    kept = point[first]
    positions = as_floats(taken(polygons.points, kept), 3)
    indices, faces_of = cut_outlines(positions, vertex, sizes)
    given = None if normals is None else taken(normals, first)
    return Primitive(
        positions,
        indices,
        normals=vertex_normals(positions, indices) if given is None else unit_or_computed(given, positions, indices),
        tangents=None if tangents is None else as_floats(taken(tangents, first), 4),
        uvs=tuple(as_floats(taken(u, first), 2) for u in uvs),
        colors=tuple(as_floats(taken(c, first), 4) for c in colors),
        joints=None if influences is None else frozen(taken(influences.joints, kept)),
        weights=None if influences is None else frozen(taken(influences.weights, kept)),
        face_sizes=faces_of,
        material=material,
        targets=tuple(
            MorphTarget(
                s.name,
                as_floats(taken(s.positions, kept), 3),
                normals=None if s.normals is None else as_floats(taken(s.normals, kept), 3),
            )
            for s in shapes
        ),
        origin=Origin(entry=file),
    )

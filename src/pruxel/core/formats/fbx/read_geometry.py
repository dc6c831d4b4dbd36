"""Polygons with layers of normals, UVs, colours and materials → primitives whose vertices have one of each."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from pruxel.core.base.arrays import AnyArray, FloatArray, as_floats, frozen, usable_rows
from pruxel.core.base.errors import ErrorCode, Fault
from pruxel.core.formats.fbx.elements import Element
from pruxel.core.formats.fbx.objects import array, said, whole
from pruxel.core.geometry.colors import linear_from_srgb
from pruxel.core.geometry.normals import unit_or_computed, vertex_normals
from pruxel.core.geometry.polygons import cut_outlines
from pruxel.core.geometry.unique import bits_of, unique_rows
from pruxel.core.scene.model import MorphTarget, Primitive
from pruxel.core.scene.origin import Origin

_MOST_SETS = 8


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


def polygons_of(element: Element, name: str, file: str) -> Polygons:
    """The polygons that have three corners or more, all of points that exist and are numbers; others are told."""
    flat = array(element, "Vertices").astype(np.float64)
    points = flat[: len(flat) // 3 * 3].reshape(-1, 3)
    corners = whole(element, "PolygonVertexIndex")
    ends = np.nonzero(corners < 0)[0]
    point = np.where(corners < 0, ~corners, corners)[: ends[-1] + 1 if len(ends) else 0]
    sizes = np.diff(np.concatenate([[-1], ends]))
    inside = (point >= 0) & (point < len(points))
    good = inside.copy()
    finite = usable_rows(points)
    good[inside] = finite[point[inside]]
    face = np.repeat(np.arange(len(sizes)), sizes)
    keep = (np.bincount(face[~good], minlength=len(sizes)) == 0) & (sizes >= 3)
    found = Polygons(points, point, sizes, np.arange(len(point)), np.arange(len(sizes)))
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


def layer_values(
    layer: Element, key: str, index_keys: Sequence[str], width: int, polygons: Polygons
) -> AnyArray | None:
    """(c, width) float64: a layer's value at each corner; None where it cannot be said."""
    flat = array(layer, key).astype(np.float64)
    values = flat[: len(flat) // width * width].reshape(-1, width)
    how = said(layer, "MappingInformationType")
    if how == "ByPolygonVertex":
        place = polygons.corner
    elif how in {"ByVertice", "ByVertex"}:
        place = polygons.point
    elif how == "ByPolygon":
        place = np.repeat(polygons.face, polygons.sizes)
    elif how == "AllSame":
        place = np.zeros(len(polygons.corner), np.int64)
    else:
        return None
    if said(layer, "ReferenceInformationType") in {"IndexToDirect", "Index"}:
        index = next((found for k in index_keys if len(found := whole(layer, k))), None)
        if index is not None:
            if place.size and int(place.max()) >= len(index):
                return None
            place = index[place]
    fits = (place >= 0) & (place < len(values))
    if not len(values) or not fits.any():
        return None
    found = values[np.where(fits, place, 0)]
    found[~fits] = 0
    return np.where(usable_rows(found)[:, None], found, 0.0)


def face_numbers(layer: Element | None, key: str, polygons: Polygons) -> AnyArray:
    """(f,) int64: a whole number of each face, 0 where the layer says none."""
    values = whole(layer, key)
    if layer is None or not len(values):
        return np.zeros(len(polygons.sizes), np.int64)
    if said(layer, "MappingInformationType") != "ByPolygon":
        return np.full(len(polygons.sizes), values[0])
    fits = polygons.face < len(values)
    return np.where(fits, values[np.where(fits, polygons.face, 0)], 0)


@dataclass(frozen=True, eq=False)
class Layers:
    """What stands at each corner (c, …), float64, absent where the file has none; `apart` (c,) keeps faces apart."""

    normals: AnyArray | None
    tangents: AnyArray | None
    uvs: tuple[AnyArray, ...]
    colors: tuple[AnyArray, ...]
    apart: AnyArray | None


def layers_of(element: Element, polygons: Polygons) -> Layers:
    """All layers that have a place here."""

    def values(kind: str, key: str, index: str, width: int) -> list[AnyArray]:
        found = (
            layer_values(layer, key, (index, f"{key}Index"), width, polygons)
            for layer in list(element.all(kind))[:_MOST_SETS]
        )
        return [one for one in found if one is not None]

    normals = values("LayerElementNormal", "Normals", "NormalsIndex", 3)
    tangents = values("LayerElementTangent", "Tangents", "TangentsIndex", 3)
    across = values("LayerElementBinormal", "Binormals", "BinormalsIndex", 3)
    uvs = values("LayerElementUV", "UV", "UVIndex", 2)
    colors = values("LayerElementColor", "Colors", "ColorIndex", 4)
    for uv in uvs:
        uv[:, 1] = 1 - uv[:, 1]
    whole_tangents = None
    if normals and tangents and across:
        sign = np.where((np.cross(normals[0], tangents[0]) * across[0]).sum(axis=1) < 0, -1.0, 1.0)
        whole_tangents = np.concatenate([tangents[0], sign[:, None]], axis=1)
    tinted = tuple(
        np.concatenate([linear_from_srgb(np.clip(c[:, :3], 0, 1)), np.clip(c[:, 3:], 0, 1)], axis=1) for c in colors
    )
    return Layers(
        normals[0] if normals else None,
        whole_tangents,
        tuple(uvs),
        tinted,
        None if normals else _smoothing(element, polygons),
    )


def _smoothing(element: Element, polygons: Polygons) -> AnyArray | None:
    """Which faces share normals at a corner, where the file gives none: those of a group; hard ones none."""
    layer = element.first("LayerElementSmoothing")
    if layer is None or said(layer, "MappingInformationType") != "ByPolygon":
        return None
    groups = face_numbers(layer, "Smoothing", polygons)
    return np.repeat(np.where(groups == 0, -1 - polygons.face, groups), polygons.sizes)


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
    rows = np.repeat(faces, polygons.sizes)
    point, sizes = polygons.point[rows], polygons.sizes[faces]

    def some(values: AnyArray | None) -> AnyArray | None:
        return None if values is None else values[rows].astype(np.float32)

    normals, tangents = some(layers.normals), some(layers.tangents)
    uvs = [u[rows].astype(np.float32) for u in layers.uvs]
    colors = [c[rows].astype(np.float32) for c in layers.colors]
    columns = [point[:, None].astype(np.int32)]
    columns += [bits_of(one) for one in (normals, tangents, *uvs, *colors) if one is not None]
    if layers.apart is not None:
        columns.append(layers.apart[rows][:, None].astype(np.int32))
    first, vertex = unique_rows(np.concatenate(columns, axis=1))
    kept = point[first]
    positions = as_floats(polygons.points[kept], 3)
    indices, faces_of = cut_outlines(positions, vertex, sizes)
    given = None if normals is None else normals[first]
    return Primitive(
        positions,
        indices,
        normals=vertex_normals(positions, indices) if given is None else unit_or_computed(given, positions, indices),
        tangents=None if tangents is None else as_floats(tangents[first], 4),
        uvs=tuple(as_floats(u[first], 2) for u in uvs),
        colors=tuple(as_floats(c[first], 4) for c in colors),
        joints=None if influences is None else frozen(influences.joints[kept]),
        weights=None if influences is None else frozen(influences.weights[kept]),
        face_sizes=faces_of,
        material=material,
        targets=tuple(
            MorphTarget(
                s.name,
                as_floats(s.positions[kept], 3),
                normals=None if s.normals is None else as_floats(s.normals[kept], 3),
            )
            for s in shapes
        ),
        origin=Origin(entry=file),
    )

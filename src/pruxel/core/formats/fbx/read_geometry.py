"""Geometries → polygons, and what their layers say of each corner."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from pruxel.core.base.arrays import AnyArray, usable_rows
from pruxel.core.formats.corners import Layers, Polygons, sound_polygons
from pruxel.core.formats.fbx.elements import Element
from pruxel.core.formats.fbx.objects import array, said, whole
from pruxel.core.geometry.colors import linear_from_srgb
from pruxel.core.native.rows import taken

_MOST_SETS = 8


def polygons_of(element: Element, name: str, file: str) -> Polygons:
    """The polygons that have three corners or more, all of points that exist and are numbers; others are told."""
    flat = array(element, "Vertices").astype(np.float64, copy=False)
    points = flat[: len(flat) // 3 * 3].reshape(-1, 3)
    corners = whole(element, "PolygonVertexIndex")
    ends = np.nonzero(corners < 0)[0]
    point = np.where(corners < 0, ~corners, corners)[: ends[-1] + 1 if len(ends) else 0]
    sizes = np.diff(np.concatenate([[-1], ends]))
    return sound_polygons(points, point, sizes, name, file)


def layer_values(
    layer: Element, key: str, index_keys: Sequence[str], width: int, polygons: Polygons
) -> AnyArray | None:
    """(c, width) float32: a layer's value at each corner; None where it cannot be said."""
    flat = array(layer, key)
    with np.errstate(over="ignore"):
        values = flat[: len(flat) // width * width].reshape(-1, width).astype(np.float32)
    fine = usable_rows(values)
    if not fine.all():
        values[~fine] = 0
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
    in_order = how == "ByPolygonVertex" and polygons.unbroken
    if said(layer, "ReferenceInformationType") in {"IndexToDirect", "Index"}:
        index = next((found for k in index_keys if len(found := whole(layer, k))), None)
        if index is not None:
            if place.size and int(place.max()) >= len(index):
                return None
            place, in_order = index[: len(place)] if in_order else index[place], False
    if not len(values) or not place.size:
        return None
    if in_order and len(place) <= len(values):
        return values[: len(place)]
    if int(place.min()) >= 0 and int(place.max()) < len(values):
        return taken(values, place)
    fits = (place >= 0) & (place < len(values))
    if not fits.any():
        return None
    found = values[np.where(fits, place, 0)]
    found[~fits] = 0
    return found


def face_numbers(layer: Element | None, key: str, polygons: Polygons) -> AnyArray:
    """(f,) int64: a whole number of each face, 0 where the layer says none."""
    values = whole(layer, key)
    if layer is None or not len(values):
        return np.zeros(len(polygons.sizes), np.int64)
    if said(layer, "MappingInformationType") != "ByPolygon":
        return np.full(len(polygons.sizes), values[0])
    fits = polygons.face < len(values)
    return np.where(fits, values[np.where(fits, polygons.face, 0)], 0)


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

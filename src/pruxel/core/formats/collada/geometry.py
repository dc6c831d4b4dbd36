"""Geometries → polygons of one material each, with what stands at their corners, and lines."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from pruxel.core.base.arrays import AnyArray, as_floats, usable_rows
from pruxel.core.formats.collada.document import Document, Input, inputs_of, whole_number
from pruxel.core.formats.corners import Layers, Polygons, sound_polygons
from pruxel.core.formats.xml import Tag
from pruxel.core.geometry.colors import linear_from_srgb

_FACES = ("triangles", "polylist", "polygons", "trifans", "tristrips")
_LINES = ("lines", "linestrips")
_MOST_SETS = 8


@dataclass(frozen=True, eq=False)
class Piece:
    """Polygons of one material, named by its symbol; `uv_sets` are the numbers of the UV sets, in their order."""

    symbol: str
    polygons: Polygons
    layers: Layers
    uv_sets: tuple[int, ...]


@dataclass(eq=False)
class Surface:
    """A geometry: its points (p, 3), its pieces, and its lines by symbol, (m, 2) numbers of points."""

    name: str
    points: AnyArray
    pieces: list[Piece] = field(default_factory=list)
    lines: list[tuple[str, AnyArray]] = field(default_factory=list)


def surface_of(document: Document, geometry: Tag) -> Surface | None:
    """What a geometry holds; None for one that is no mesh, or has no points, which is told."""
    name = geometry.get("name") or geometry.get("id") or "geometry"
    mesh = geometry.first("mesh") or geometry.first("convex_mesh")
    if mesh is None:
        document.notes.append(f"{document.file}: geometry '{name}' is no mesh and is left out")
        return None
    vertices = mesh.first("vertices")
    shared = [] if vertices is None else inputs_of(document, vertices)
    points = next((document.values(i.source) for i in shared if i.semantic == "POSITION"), np.zeros((0, 3)))
    if not len(points) or points.shape[1] < 3:
        if any(tag.name in _FACES for tag in mesh.children):
            document.tell(f"geometry '{name}' has no positions and is left out", mesh)
        return None
    surface = Surface(name, points[:, :3])
    for tag in mesh.all(*_FACES):
        piece = _piece(document, tag, surface, shared)
        if piece is not None:
            surface.pieces.append(piece)
    for tag in mesh.all(*_LINES):
        lines = _segments(document, tag, surface)
        if len(lines):
            surface.lines.append((tag.get("material"), lines))
    return surface


def _inputs(document: Document, tag: Tag, shared: Sequence[Input]) -> tuple[list[Input], int]:
    """The inputs of corners, those of the vertices among them in place of VERTEX, and how many numbers a corner has."""
    own = inputs_of(document, tag)
    found: list[Input] = []
    for one in own:
        if one.semantic == "VERTEX":
            found += [Input(v.semantic, v.source, one.offset, v.number) for v in shared]
        else:
            found.append(one)
    return found, max((whole_number(i, "offset", 0) for i in tag.all("input")), default=0) + 1


def _piece(document: Document, tag: Tag, surface: Surface, shared: Sequence[Input]) -> Piece | None:
    inputs, width = _inputs(document, tag, shared)
    place = next((i.offset for i in inputs if i.semantic == "POSITION"), None)
    if place is None:
        if tag.first("p") is not None:
            document.tell(f"{tag.name} of '{surface.name}' name no positions and are left out", tag)
        return None
    corners, sizes = _outlines(document, tag, width, surface.name)
    if not len(sizes):
        return None
    polygons = sound_polygons(surface.points, corners[:, place], sizes, surface.name, document.file)
    document.faults += polygons.faults
    kept = corners[polygons.corner]

    def found(*semantics: str) -> list[tuple[Input, AnyArray]]:
        return [(i, _picked(document, i, kept)) for i in inputs if i.semantic in semantics][:_MOST_SETS]

    uvs = [(i, uv[:, :2]) for i, uv in found("TEXCOORD", "UV") if uv.shape[1] >= 2]
    for _, uv in uvs:
        uv[:, 1] = 1 - uv[:, 1]
    normals, tangents, across = (
        next((v[:, :3] for _, v in found(*words) if v.shape[1] >= 3), None)
        for words in (("NORMAL",), ("TANGENT", "TEXTANGENT"), ("BINORMAL", "TEXBINORMAL"))
    )
    colors = tuple(_color(values) for _, values in found("COLOR") if values.shape[1] >= 3)
    layers = Layers(normals, _tangents(normals, tangents, across), tuple(uv for _, uv in uvs), colors, None)
    return Piece(tag.get("material"), polygons, layers, tuple(i.number for i, _ in uvs))


def _outlines(document: Document, tag: Tag, width: int, name: str) -> tuple[AnyArray, AnyArray]:
    """Corners (c, width) of all polygons, one behind the other, and how many each has (f,)."""
    runs = [_rows(document.indices(p), width) for p in tag.all("p")]
    holes = 0
    for holed in tag.all("ph"):
        runs += [_rows(document.indices(p), width) for p in holed.all("p")]
        holes += len(list(holed.all("h")))
    if holes:
        document.notes.append(f"{document.file}: {holes:,} holes in polygons of '{name}' are closed")
    whole = np.concatenate(runs) if runs else np.zeros((0, width), np.int64)
    if tag.name == "triangles":
        count = len(whole) // 3
        return whole[: 3 * count], np.full(count, 3)
    if tag.name == "polygons":
        return whole, np.array([len(run) for run in runs], np.int64)
    if tag.name == "polylist":
        listed = tag.first("vcount")
        sizes = np.zeros(0, np.int64) if listed is None else document.indices(listed).clip(0)
        fits = np.cumsum(sizes) <= len(whole)
        if not fits.all():
            document.tell(f"{int((~fits).sum()):,} polygons of '{name}' have no corners left in <p>", tag)
        sizes = sizes[fits]
        return whole[: int(sizes.sum())], sizes
    triangles = [_triangles(run, tag.name) for run in runs if len(run) >= 3]
    joined = np.concatenate(triangles) if triangles else np.zeros((0, width), np.int64)
    return joined, np.full(len(joined) // 3, 3)


def _rows(values: AnyArray, width: int) -> AnyArray:
    return values[: len(values) // width * width].reshape(-1, width)


def _triangles(run: AnyArray, how: str) -> AnyArray:
    """(3m, width) corners of the triangles of a fan or a strip, each second one of a strip turned."""
    count = len(run) - 2
    step = np.arange(count)
    if how == "trifans":
        picked = np.stack([np.zeros(count, np.int64), step + 1, step + 2], axis=1)
    else:
        odd = step % 2
        picked = np.stack([step + odd, step + 1 - odd, step + 2], axis=1)
    return run[picked.reshape(-1)]


def _picked(document: Document, one: Input, corners: AnyArray) -> AnyArray:
    """(c, k) the values of an input at corners; zeros where a corner names none."""
    values = document.values(one.source)
    index = corners[:, one.offset]
    fits = (index >= 0) & (index < len(values))
    if not len(values) or not fits.any():
        return np.zeros((len(corners), 0))
    found = values[np.where(fits, index, 0)]
    found[~fits] = 0
    return np.where(usable_rows(found)[:, None], found, 0.0)


def _color(values: AnyArray) -> AnyArray:
    """(c, 4) linear light of shown colours with or without alpha."""
    shown = np.clip(values, 0, 1)
    alpha = shown[:, 3:4] if shown.shape[1] > 3 else np.ones((len(shown), 1))
    return np.concatenate([linear_from_srgb(shown[:, :3]), alpha], axis=1)


def _tangents(normals: AnyArray | None, tangents: AnyArray | None, across: AnyArray | None) -> AnyArray | None:
    if normals is None or tangents is None or across is None:
        return None
    sign = np.where((np.cross(normals, tangents) * across).sum(axis=1) < 0, -1.0, 1.0)
    return np.concatenate([tangents, sign[:, None]], axis=1)


def _segments(document: Document, tag: Tag, surface: Surface) -> AnyArray:
    """(m, 2) numbers of points that lines join."""
    own = inputs_of(document, tag)
    place = next((i.offset for i in own if i.semantic == "VERTEX"), 0)
    width = max((i.offset for i in own), default=0) + 1
    found = []
    for p in tag.all("p"):
        run = _rows(document.indices(p), width)[:, place]
        if tag.name == "lines":
            found.append(run[: len(run) // 2 * 2].reshape(-1, 2))
        else:
            found.append(np.stack([run[:-1], run[1:]], axis=1))
    pairs = np.concatenate(found) if found else np.zeros((0, 2), np.int64)
    inside: AnyArray = np.asarray(((pairs >= 0) & (pairs < len(surface.points))).all(axis=1))
    inside[inside] = usable_rows(surface.points[pairs[inside]])
    return pairs[inside]


def points_of(surface: Surface) -> AnyArray:
    """(p, 3) float32, with zeros for what is no place."""
    return as_floats(np.where(usable_rows(surface.points)[:, None], surface.points, 0.0), 3)

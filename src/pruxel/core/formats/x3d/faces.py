"""Sets of faces, indexed or not → corners with what stands at them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray, places_within, starts_of, usable_rows
from pruxel.core.formats.corners import Layers, Polygons, sound_polygons
from pruxel.core.formats.x3d.things import Thing
from pruxel.core.geometry.colors import linear_from_srgb
from pruxel.core.geometry.creases import smooth_corners

_NEVER = np.pi - 1e-6


@dataclass(frozen=True, eq=False)
class Faces:
    """Corners of polygons: points (p, 3), the point of each corner (c,), sizes (f,), and rows for each corner."""

    points: AnyArray
    point: AnyArray
    sizes: AnyArray
    normals: AnyArray | None = None
    uvs: AnyArray | None = None
    colors: AnyArray | None = None
    crease_rad: float = 0.0


def layered(faces: Faces, name: str, file: str) -> tuple[Polygons, Layers]:
    """Sound polygons, and what stands at their corners; without normals, faces are apart where the angle says so."""
    polygons = sound_polygons(faces.points, faces.point, faces.sizes, name, file)
    kept = polygons.corner

    def some(values: AnyArray | None) -> AnyArray | None:
        return None if values is None else np.where(usable_rows(values[kept])[:, None], values[kept], 0.0)

    normals, uvs, colors = some(faces.normals), some(faces.uvs), some(faces.colors)
    apart = None
    if normals is None and faces.crease_rad < _NEVER and len(polygons.sizes):
        apart = smooth_corners(polygons.points, polygons.point, polygons.sizes, faces.crease_rad)
    if uvs is not None:
        uvs[:, 1] = 1 - uvs[:, 1]
    tints = () if colors is None else (colors,)
    return polygons, Layers(normals, None, () if uvs is None else (uvs,), tints, apart)


def points_of(thing: Thing) -> DoubleArray:
    """(p, 3) the places of a geometry."""
    listed = thing.inner("Coordinate", "CoordinateDouble")
    return np.zeros((0, 3)) if listed is None else listed.rows("point", 3)


def colors_of(thing: Thing) -> DoubleArray | None:
    """(n, 4) the colours of a geometry as linear light."""
    listed = thing.inner("Color", "ColorRGBA")
    if listed is None:
        return None
    width = 4 if listed.kind == "ColorRGBA" else 3
    rows = np.clip(np.nan_to_num(listed.rows("color", width)), 0, 1)
    alpha = rows[:, 3:] if width == 4 else np.ones((len(rows), 1))
    return np.concatenate([linear_from_srgb(rows[:, :3]), alpha], axis=1) if len(rows) else None


def face_set(thing: Thing) -> Faces | None:
    """The faces of a set; None for another kind of geometry."""
    outlines = _outlines(thing)
    if outlines is None:
        return None
    row, sizes = outlines
    indexed = thing.kind == "IndexedFaceSet"
    listed = thing.indices("coordIndex" if indexed else "index") if thing.kind.startswith("Indexed") else None
    point = row if listed is None else listed[row]
    face = np.repeat(np.arange(len(sizes)), sizes)

    def at(values: AnyArray | None, key: str, *, per_vertex: bool) -> AnyArray | None:
        if values is None or not len(values):
            return None
        if indexed:
            own = thing.indices(key)
            if per_vertex:
                # An index of its own runs along the index of places, its separators with it.
                place = own[np.minimum(row, len(own) - 1)] if len(own) else point
            else:
                place = own[np.minimum(face, len(own) - 1)] if len(own) else face
        else:
            place = point if per_vertex else face
        fits = (place >= 0) & (place < len(values))
        found = values[np.where(fits, place, 0)].astype(np.float64)
        found[~fits] = 0
        return found

    normal, mapping = thing.inner("Normal"), _mapping(thing)
    faces = Faces(
        points_of(thing),
        point,
        sizes,
        at(
            None if normal is None else normal.rows("vector", 3),
            "normalIndex",
            per_vertex=thing.flag("normalPerVertex", default=True),
        ),
        at(None if mapping is None else mapping.rows("point", 2), "texCoordIndex", per_vertex=True),
        at(colors_of(thing), "colorIndex", per_vertex=thing.flag("colorPerVertex", default=True)),
        # Sets of triangles are smooth where they share a point.
        thing.number("creaseAngle", 0.0) if indexed else (0.0 if not thing.kind.startswith("Indexed") else np.pi),
    )
    return faces if thing.flag("ccw", default=True) else turned(faces)


def _mapping(thing: Thing) -> Thing | None:
    several = thing.inner("MultiTextureCoordinate")
    return (several or thing).inner("TextureCoordinate")


def turned(faces: Faces) -> Faces:
    """The same faces, seen from the other side."""
    sizes = faces.sizes
    order = np.repeat(starts_of(sizes) + sizes - 1, sizes) - places_within(sizes)

    def some(values: AnyArray | None) -> AnyArray | None:
        return None if values is None else values[order]

    return Faces(
        faces.points, faces.point[order], sizes, some(faces.normals), some(faces.uvs), some(faces.colors),
        faces.crease_rad,
    )  # fmt: skip


def runs_of(index: AnyArray) -> tuple[AnyArray, AnyArray]:
    """Rows (c,) of an index that name something, and the lengths (f,) of the runs between its -1."""
    kept = np.nonzero(index >= 0)[0]
    run = np.cumsum(index < 0)[kept]
    _, sizes = np.unique(run, return_counts=True)
    return kept, sizes.astype(np.int64)


def _outlines(thing: Thing) -> tuple[AnyArray, AnyArray] | None:
    """Rows of the index, or of the points where there is none, corner by corner, and how many each face has."""
    kind = thing.kind
    if kind == "IndexedFaceSet":
        return runs_of(thing.indices("coordIndex"))
    if kind in {"IndexedTriangleFanSet", "IndexedTriangleStripSet"}:
        rows, lengths = runs_of(thing.indices("index"))
    elif kind in {"TriangleFanSet", "TriangleStripSet"}:
        lengths = thing.indices("fanCount" if kind == "TriangleFanSet" else "stripCount").clip(0)
        lengths = lengths[np.cumsum(lengths) <= len(points_of(thing))]
        rows = np.arange(int(lengths.sum()))
    elif kind in {"IndexedTriangleSet", "IndexedQuadSet", "TriangleSet", "QuadSet"}:
        width = 4 if "Quad" in kind else 3
        count = len(thing.indices("index")) if kind.startswith("Indexed") else len(points_of(thing))
        return np.arange(count // width * width), np.full(count // width, width)
    else:
        return None
    many = (lengths - 2).clip(0)
    step, start = places_within(many), np.repeat(starts_of(lengths), many)
    if "Fan" in kind:
        picked = np.stack([start, start + step + 1, start + step + 2], axis=1)
    else:
        odd = step % 2
        picked = np.stack([start + step + odd, start + step + 1 - odd, start + step + 2], axis=1)
    return rows[picked.reshape(-1)], np.full(len(picked), 3)


def box_mapping(points: AnyArray, point: AnyArray) -> AnyArray:
    """(c, 2) where a picture lies on faces that do not say it: along the two longest sides of their box."""
    used = points[point]
    used = np.where(usable_rows(used)[:, None], used, 0.0)
    low, room = used.min(axis=0), np.ptp(used, axis=0)
    order = np.argsort(-room, kind="stable")
    longest = max(float(room[order[0]]), 1e-12)
    return (used[:, order[:2]] - low[order[:2]]) / longest

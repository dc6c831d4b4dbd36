"""Boxes, balls, cylinders, cones, grids of heights and extrusions → faces."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray
from pruxel.core.formats.x3d.faces import Faces, colors_of, turned
from pruxel.core.formats.x3d.things import Thing
from pruxel.core.geometry.euler import turns_of_axes, unit_rows
from pruxel.core.geometry.transforms import quaternion_matrix

_AROUND = 32
_UP = 16
_SMOOTH = np.pi
_CORNERED = np.pi / 4
_MOST_ROWS = 20_000


def _grid(points: DoubleArray, uvs: DoubleArray, crease_rad: float) -> Faces:
    """Quads between rows of points (r, c, 3), seen from where rows run up and columns to the right."""
    rows, columns = points.shape[:2]
    j, i = np.meshgrid(np.arange(rows - 1), np.arange(columns - 1), indexing="ij")
    a = (j * columns + i).reshape(-1)
    corner = np.stack([a, a + 1, a + columns + 1, a + columns], axis=1).reshape(-1)
    flat, mapped = points.reshape(-1, 3), uvs.reshape(-1, 2)
    # Corners that fall together at a pole, and all along a seam, are one point.
    shared, point = np.unique(np.round(flat, 9), axis=0, return_inverse=True)
    kept, rows, sizes = _without_repeats(point[corner].reshape(-1, 4))
    return Faces(shared, kept, sizes, uvs=mapped[corner[rows]], crease_rad=crease_rad)


def _without_repeats(quads: AnyArray) -> tuple[AnyArray, AnyArray, AnyArray]:
    """The corners of quads without those equal to the one before: points, rows among all corners; and their counts."""
    keep = quads != np.roll(quads, 1, axis=1)
    keep[keep.sum(axis=1) < 3] = False
    flat = keep.reshape(-1)
    sizes = keep.sum(axis=1)
    return quads.reshape(-1)[flat], np.nonzero(flat)[0], sizes[sizes > 0]


def _joined(parts: list[Faces], crease_rad: float) -> Faces:
    first = np.cumsum([0, *(len(part.points) for part in parts)])
    return Faces(
        np.concatenate([part.points for part in parts]),
        np.concatenate([part.point + at for part, at in zip(parts, first, strict=False)]),
        np.concatenate([part.sizes for part in parts]),
        uvs=np.concatenate([np.zeros((len(p.point), 2)) if p.uvs is None else p.uvs for p in parts]),
        crease_rad=crease_rad,
    )


def _revolved(radius: AnyArray, height: AnyArray, crease_rad: float) -> Faces:
    """A profile (k,) from the bottom up turned about Y; a picture begins at the back and goes around to the left."""
    turn = np.linspace(0, 2 * np.pi, _AROUND + 1)
    turn[-1] = 0  # the seam closes exactly
    around = np.stack([-np.sin(turn), -np.cos(turn)], axis=1)
    points = np.zeros((len(radius), _AROUND + 1, 3))
    points[..., [0, 2]] = around[None] * radius[:, None, None]
    points[..., 1] = height[:, None]
    length = np.cumsum(np.concatenate([[0.0], np.hypot(np.diff(radius), np.diff(height))]))
    uvs = np.zeros((len(radius), _AROUND + 1, 2))
    uvs[..., 0], uvs[..., 1] = np.linspace(0, 1, _AROUND + 1)[None], (length / max(length[-1], 1e-12))[:, None]
    return _grid(points, uvs, crease_rad)


def _disc(radius: float, height: float, *, up: bool) -> Faces:
    turn = np.arange(_AROUND) / _AROUND * 2 * np.pi
    x, z = radius * np.sin(turn), radius * np.cos(turn)
    points = np.round(np.stack([x, np.full(_AROUND, height), z], axis=1), 9)
    uvs = np.stack([np.sin(turn), -np.cos(turn) if up else np.cos(turn)], axis=1) / 2 + 0.5
    faces = Faces(points, np.arange(_AROUND), np.array([_AROUND]), uvs=uvs)
    return faces if up else turned(faces)


def _box(thing: Thing) -> Faces:
    half = np.abs(thing.numbers("size", (2.0, 2.0, 2.0))) / 2
    front = np.array([[-1, -1, 1], [1, -1, 1], [1, 1, 1], [-1, 1, 1]], np.float64)
    turns = [np.array([0.0, 1.0, 0.0, np.pi / 2 * n]) for n in range(4)]
    turns += [np.array([1.0, 0.0, 0.0, angle]) for angle in (-np.pi / 2, np.pi / 2)]
    sides = [front @ axis_turn(turn).T for turn in turns]
    uv = np.array([[0, 0], [1, 0], [1, 1], [0, 1]], np.float64)
    points = np.round(np.concatenate(sides)) * half
    return Faces(points, np.arange(24), np.full(6, 4), uvs=np.tile(uv, (6, 1)))


def _sphere(thing: Thing) -> Faces:
    up = np.linspace(-np.pi / 2, np.pi / 2, _UP + 1)
    radius = abs(thing.number("radius", 1.0))
    wide = np.cos(up)
    wide[[0, -1]] = 0
    return _revolved(radius * wide, radius * np.sin(up), _SMOOTH)


def _cylinder(thing: Thing) -> Faces:
    radius, height = abs(thing.number("radius", 1.0)), abs(thing.number("height", 2.0))
    parts = []
    if thing.flag("side", default=True):
        parts.append(_revolved(np.full(2, radius), np.array([-height / 2, height / 2]), _CORNERED))
    if thing.flag("top", default=True):
        parts.append(_disc(radius, height / 2, up=True))
    if thing.flag("bottom", default=True):
        parts.append(_disc(radius, -height / 2, up=False))
    return _joined(parts, _CORNERED) if parts else _nothing()


def _cone(thing: Thing) -> Faces:
    radius, height = abs(thing.number("bottomRadius", 1.0)), abs(thing.number("height", 2.0))
    parts = []
    if thing.flag("side", default=True):
        parts.append(_revolved(np.array([radius, 0.0]), np.array([-height / 2, height / 2]), _CORNERED))
    if thing.flag("bottom", default=True):
        parts.append(_disc(radius, -height / 2, up=False))
    return _joined(parts, _CORNERED) if parts else _nothing()


def _nothing() -> Faces:
    return Faces(np.zeros((0, 3)), np.zeros(0, np.int64), np.zeros(0, np.int64))


def _heights(thing: Thing) -> Faces:
    """A grid of heights: along X within a row, rows along Z."""
    columns, rows = (min(max(int(thing.number(key, 0)), 0), _MOST_ROWS) for key in ("xDimension", "zDimension"))
    listed = thing.numbers("height")
    if rows < 2 or columns < 2 or len(listed) < rows * columns:
        return _nothing()
    x = np.arange(columns) * thing.number("xSpacing", 1.0)
    z = np.arange(rows) * thing.number("zSpacing", 1.0)
    height = listed[: rows * columns].reshape(rows, columns)
    points = np.stack(np.broadcast_arrays(x[None], height, z[:, None]), axis=2).reshape(-1, 3)
    j, i = np.meshgrid(np.arange(rows - 1), np.arange(columns - 1), indexing="ij")
    a = (j * columns + i).reshape(-1)
    corner = np.stack([a, a + columns, a + columns + 1, a + 1], axis=1).reshape(-1)
    across, along = np.linspace(0, 1, columns), np.linspace(0, 1, rows)
    uvs = np.stack(np.broadcast_arrays(across[None], along[:, None]), axis=2).reshape(-1, 2)
    own = thing.inner("TextureCoordinate")
    if own is not None and len(own.rows("point", 2)) >= len(points):
        uvs = own.rows("point", 2)[: len(points)]
    colors = colors_of(thing)
    if colors is not None:
        place = corner if thing.flag("colorPerVertex", default=True) else np.repeat(np.arange(len(a)), 4)
        colors = colors[np.minimum(place, len(colors) - 1)]
    faces = Faces(
        points, corner, np.full(len(a), 4), uvs=uvs[corner], colors=colors,
        crease_rad=thing.number("creaseAngle", 0.0),
    )  # fmt: skip
    return faces if thing.flag("ccw", default=True) else turned(faces)


def _extrusion(thing: Thing) -> Faces:
    """A cross-section drawn along a spine, scaled and turned at each of its points (ISO/IEC 19775-1, 13.3.5)."""
    square = (1.0, 1.0, 1.0, -1.0, -1.0, -1.0, -1.0, 1.0, 1.0, 1.0)
    section = _pairs(thing, "crossSection", 2, square)
    spine = _pairs(thing, "spine", 3, (0.0, 0.0, 0.0, 0.0, 1.0, 0.0))
    if len(section) < 2 or len(spine) < 2 or len(section) * len(spine) > _MOST_ROWS * 100:
        return _nothing()
    scales = _rows(_pairs(thing, "scale", 2, (1.0, 1.0)), len(spine))
    turns = _rows(_pairs(thing, "orientation", 4, (0.0, 0.0, 1.0, 0.0)), len(spine))
    rings = []
    for place, frame, scale, turn in zip(spine, _frames(spine), scales, turns, strict=True):
        flat = np.stack([section[:, 0] * scale[0], np.zeros(len(section)), section[:, 1] * scale[1]], axis=1)
        rings.append(flat @ axis_turn(turn).T @ frame.T + place)
    points = np.stack(rings)
    along = np.linspace(0, 1, len(spine))
    around = np.linspace(0, 1, len(section))
    uvs = np.stack(np.broadcast_arrays(around[None], along[:, None]), axis=2)
    crease = thing.number("creaseAngle", 0.0)
    parts = [_grid(points, uvs, crease)]
    closed = bool(np.allclose(section[0], section[-1]))
    outline = section[:-1] if closed else section
    room = np.maximum(np.ptp(section, axis=0).max(), 1e-12)
    cap = (outline - section.min(axis=0)) / room
    for key, ring, up in (("beginCap", points[0], False), ("endCap", points[-1], True)):
        if thing.flag(key, default=True) and len(outline) >= 3:
            faces = Faces(ring[: len(outline)], np.arange(len(outline)), np.array([len(outline)]), uvs=cap)
            parts.append(faces if up else turned(faces))
    faces = _joined(parts, crease)
    return faces if thing.flag("ccw", default=True) else turned(faces)


def _pairs(thing: Thing, key: str, width: int, default: tuple[float, ...]) -> DoubleArray:
    found = thing.rows(key, width)
    return found if len(found) else np.array(default).reshape(-1, width)


def _rows(values: DoubleArray, count: int) -> DoubleArray:
    """As many rows as are needed, the last one again and again."""
    return values[np.minimum(np.arange(count), len(values) - 1)]


def _frames(spine: DoubleArray) -> list[DoubleArray]:
    """(3, 3) axes at each point of a spine: Y along it, Z where it bends to."""
    closed = bool(np.allclose(spine[0], spine[-1])) and len(spine) > 3
    before = np.concatenate([spine[-2:-1] if closed else spine[:1], spine[:-1]])
    after = np.concatenate([spine[1:], spine[1:2] if closed else spine[-1:]])
    along = unit_rows(after - before)
    bend = unit_rows(np.cross(after - spine, before - spine))
    if not closed:
        bend[0], bend[-1] = (bend[1], bend[-2]) if len(spine) > 2 else (bend[0], bend[-1])
    straight = ~bend.any(axis=1)
    if straight.all():
        turn = _between(np.array([0.0, 1.0, 0.0]), along[0])
        return [turn] * len(spine)
    last = bend[~straight][0]
    frames = []
    for y, z in zip(along, bend, strict=True):
        own = z if z.any() else last
        own = -own if own @ last < 0 else own
        last = own
        x = unit_rows(np.cross(y, own)[None])[0]
        frames.append(np.stack([x, y, np.cross(x, y)], axis=1))
    return frames


def _between(a: DoubleArray, b: DoubleArray) -> DoubleArray:
    """The shortest turn (3, 3) of one direction into another."""
    axis = np.cross(a, b)
    sine, cosine = float(np.linalg.norm(axis)), float(a @ b)
    if sine < 1e-9:
        return np.eye(3) if cosine > 0 else np.diag([1.0, -1.0, -1.0])
    return axis_turn(np.array([*(axis / sine), np.arctan2(sine, cosine)]))


def axis_turn(turn: DoubleArray) -> DoubleArray:
    """(3, 3) the turn of four numbers: an axis, and an angle in radians about it."""
    return quaternion_matrix(axis_quaternions(turn[None])[0].tolist())


def axis_quaternions(turns: DoubleArray) -> DoubleArray:
    """(n, 4) xyzw of turns (n, 4): an axis, and an angle in radians about it."""
    return turns_of_axes(turns[:, :3], turns[:, 3])


SOLIDS: dict[str, Callable[[Thing], Faces]] = {
    "Box": _box,
    "Sphere": _sphere,
    "Cylinder": _cylinder,
    "Cone": _cone,
    "ElevationGrid": _heights,
    "Extrusion": _extrusion,
}

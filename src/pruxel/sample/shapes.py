"""Triangle shapes: implicit surfaces meshed, profiles revolved, tubes lofted, boxes bevelled."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import fast_simplification
import numpy as np
import trimesh
from skimage import measure

from pruxel.core.base.arrays import AnyArray
from pruxel.sample.sdf import Field, Point


@dataclass(frozen=True, eq=False)
class Shape:
    """vertices (n, 3) float64 metres, faces (m, 3), counter-clockwise seen from outside."""

    vertices: AnyArray
    faces: AnyArray

    def moved(self, by: Point) -> Shape:
        """Shifted."""
        return Shape(self.vertices + np.asarray(by), self.faces)

    def scaled(self, by: float | Point) -> Shape:
        """Scaled about the origin by positive factors."""
        return Shape(self.vertices * np.asarray(by), self.faces)

    def turned(self, axis: int, degrees: float) -> Shape:
        """Turned about a coordinate axis, right-handed."""
        angle = np.radians(degrees)
        matrix = np.eye(3)
        i, j = (axis + 1) % 3, (axis + 2) % 3
        matrix[i, i] = matrix[j, j] = np.cos(angle)
        matrix[i, j], matrix[j, i] = -np.sin(angle), np.sin(angle)
        return Shape(self.vertices @ matrix.T, self.faces)

    def mirrored(self) -> Shape:
        """Left for right, its outside still outside."""
        return Shape(self.vertices * np.array((-1.0, 1.0, 1.0)), self.faces[:, ::-1])

    def flipped(self) -> Shape:
        """Inside out."""
        return Shape(self.vertices, self.faces[:, ::-1])


def together(*shapes: Shape) -> Shape:
    """Several shapes as one."""
    starts = np.cumsum([0, *(len(s.vertices) for s in shapes)])
    faces = [s.faces + start for s, start in zip(shapes, starts, strict=False)]
    return Shape(np.concatenate([s.vertices for s in shapes]), np.concatenate(faces))


def implicit(field: Field, low: Point, high: Point, step: float, faces: int) -> Shape:
    """Marching cubes over a box at `step` metres, then decimated to about `faces` triangles."""
    axes = [np.arange(a, b + step, step) for a, b in zip(low, high, strict=True)]
    volume = _measured(field, axes)
    vertices, triangles, _, _ = measure.marching_cubes(volume, 0.0, spacing=(step,) * 3)  # type: ignore[no-untyped-call]
    vertices = vertices + np.asarray(low)
    if len(triangles) > faces:
        vertices, triangles = fast_simplification.simplify(
            vertices.astype(np.float32), triangles.astype(np.int32), 1 - faces / len(triangles)
        )
    return _outward(Shape(vertices.astype(np.float64), triangles.astype(np.int64)))


# Points on each side of a block that is measured whole where the surface may pass through it.
_BLOCK = 6
_STEEP = 2.0


def _measured(field: Field, axes: list[AnyArray]) -> AnyArray:
    """The field on a grid, (a, b, c): everywhere near the surface; elsewhere a block has its middle's value."""
    step = float(axes[0][1] - axes[0][0])
    shape = tuple(len(axis) for axis in axes)
    blocks = tuple(-(-n // _BLOCK) for n in shape)
    middles = [np.minimum(np.arange(n) * _BLOCK + _BLOCK // 2, len(a) - 1) for n, a in zip(blocks, axes, strict=True)]

    def at(*indices: AnyArray) -> AnyArray:
        points = np.stack([axis[index] for axis, index in zip(axes, indices, strict=True)], axis=-1)
        return np.concatenate([field(piece) for piece in np.array_split(points, max(1, len(points) // 200_000))])

    coarse = at(*(m.ravel() for m in np.meshgrid(*middles, indexing="ij"))).reshape(blocks)
    block_of = [np.arange(n) // _BLOCK for n in shape]
    volume = coarse[np.ix_(*block_of)]
    # Fields that are blended, squeezed or displaced tell up to _STEEP times the distance.
    near = np.abs(coarse) < _STEEP * np.sqrt(3) * (_BLOCK // 2) * step
    inside = np.nonzero(near[np.ix_(*block_of)])
    volume[inside] = at(*inside)
    return volume


def _outward(shape: Shape) -> Shape:
    mesh = trimesh.Trimesh(shape.vertices, shape.faces, process=False)
    return shape if mesh.volume >= 0 else shape.flipped()


def simplified(shape: Shape, faces: int) -> Shape:
    """The same with about `faces` triangles."""
    if len(shape.faces) <= faces:
        return shape
    vertices, triangles = fast_simplification.simplify(
        shape.vertices.astype(np.float32), shape.faces.astype(np.int32), 1 - faces / len(shape.faces)
    )
    return Shape(vertices.astype(np.float64), triangles.astype(np.int64))


def hull(shape: Shape, faces: int = 120) -> Shape:
    """The convex hull, coarse."""
    found = trimesh.Trimesh(shape.vertices, shape.faces, process=False).convex_hull
    return simplified(Shape(np.array(found.vertices), np.array(found.faces)), faces)


def revolved(profile: Sequence[tuple[float, float]], segments: int = 32) -> Shape:
    """A (radius, height) profile, from bottom to top, turned about the Y axis; ends at radius 0 are closed."""
    points = np.asarray(profile, float)
    angles = np.arange(segments) / segments * 2 * np.pi
    ring = np.stack([np.sin(angles), np.zeros(segments), np.cos(angles)], axis=1)
    vertices = points[:, None, :1] * ring[None] + points[:, None, 1:] * np.array([0.0, 1.0, 0.0])
    rows, columns = len(points), segments
    i, j = np.meshgrid(np.arange(rows - 1), np.arange(columns), indexing="ij")
    a, b = i * columns + j, i * columns + (j + 1) % columns
    faces = np.concatenate(
        [np.stack([a, b, b + columns], -1).reshape(-1, 3), np.stack([a, b + columns, a + columns], -1).reshape(-1, 3)]
    )
    return _outward(_cleaned(Shape(vertices.reshape(-1, 3), faces)))


def tube(path: Sequence[Point] | AnyArray, radii: Sequence[float] | AnyArray, sides: int = 10) -> Shape:
    """A tube along a path with closed ends."""
    points = np.asarray(path, float)
    along = np.gradient(points, axis=0)
    along /= np.linalg.norm(along, axis=1, keepdims=True)
    # The coordinate axis that the path is never parallel to.
    reference = np.eye(3)[int(np.argmin(np.abs(along).max(axis=0)))]
    first = np.cross(along, np.cross(reference, along))
    first /= np.linalg.norm(first, axis=1, keepdims=True)
    second = np.cross(along, first)
    angles = np.arange(sides) / sides * 2 * np.pi
    circle = first[:, None] * np.cos(angles)[None, :, None] + second[:, None] * np.sin(angles)[None, :, None]
    rings = points[:, None] + circle * np.asarray(radii)[:, None, None]
    count = len(points)
    i, j = np.meshgrid(np.arange(count - 1), np.arange(sides), indexing="ij")
    a, b = i * sides + j, i * sides + (j + 1) % sides
    walls = np.concatenate(
        [np.stack([a, b, b + sides], -1).reshape(-1, 3), np.stack([a, b + sides, a + sides], -1).reshape(-1, 3)]
    )
    base, top = count * sides, count * sides + 1
    k = np.arange(sides)
    n = (k + 1) % sides
    last = (count - 1) * sides
    caps = np.concatenate(
        [np.stack([np.full(sides, base), n, k], -1), np.stack([np.full(sides, top), last + k, last + n], -1)]
    )
    vertices = np.concatenate([rings.reshape(-1, 3), points[:1], points[-1:]])
    return _outward(_cleaned(Shape(vertices, np.concatenate([walls, caps]))))


def box(size: Point, bevel: float = 0.0) -> Shape:
    """A box about the origin, edges bevelled."""
    half = np.asarray(size, float) / 2
    inner = half - bevel
    signs = np.array([[x, y, z] for x in (-1, 1) for y in (-1, 1) for z in (-1, 1)], float)
    if bevel <= 0:
        corners = signs * half
    else:
        corners = np.concatenate([signs * np.where(np.arange(3) == axis, half, inner) for axis in range(3)])
    found = trimesh.convex.convex_hull(corners)
    return Shape(np.array(found.vertices), np.array(found.faces))


def ring(radius: float, thickness: float, segments: int = 32, sides: int = 12) -> Shape:
    """A torus lying flat in the XZ plane."""
    angles = np.linspace(0, 2 * np.pi, sides + 1)[:-1] - np.pi
    i, j = np.meshgrid(np.arange(segments), np.arange(sides), indexing="ij")
    turn = i / segments * 2 * np.pi
    out = radius + thickness * np.cos(angles[j])
    vertices = np.stack([out * np.sin(turn), thickness * np.sin(angles[j]), out * np.cos(turn)], -1).reshape(-1, 3)
    a, b = i * sides + j, i * sides + (j + 1) % sides
    c, d = ((i + 1) % segments) * sides + j, ((i + 1) % segments) * sides + (j + 1) % sides
    faces = np.concatenate([np.stack([a, c, d], -1).reshape(-1, 3), np.stack([a, d, b], -1).reshape(-1, 3)])
    return _outward(Shape(vertices, faces))


def ball(radius: float | Point, segments: int = 28, rows: int = 16) -> Shape:
    """An ellipsoid about the origin."""
    t = np.linspace(-np.pi / 2, np.pi / 2, rows + 1)
    profile = [(float(max(np.cos(a), 0.0)), float(np.sin(a))) for a in t]
    return revolved(profile, segments).scaled(radius)


def ribbon(path: Sequence[Point] | AnyArray, widths: Sequence[float] | AnyArray, across: Point) -> Shape:
    """A single sheet along a path; front towards `across` turned about the path."""
    points, side = np.asarray(path, float), np.asarray(across, float)
    left = points - side * np.asarray(widths)[:, None] / 2
    right = points + side * np.asarray(widths)[:, None] / 2
    count = len(points)
    i = np.arange(count - 1)
    faces = np.concatenate([np.stack([i, i + count, i + count + 1], -1), np.stack([i, i + count + 1, i + 1], -1)])
    return Shape(np.concatenate([left, right]), faces)


def _cleaned(shape: Shape) -> Shape:
    """Without double vertices and faces of no area."""
    rounded = np.round(shape.vertices, 7)
    _, first, back = np.unique(rounded, axis=0, return_index=True, return_inverse=True)
    faces = back.reshape(-1)[shape.faces]
    whole = (faces[:, 0] != faces[:, 1]) & (faces[:, 1] != faces[:, 2]) & (faces[:, 2] != faces[:, 0])
    return Shape(shape.vertices[first], faces[whole])

"""Points and lines made solid, so that rays meet them: octahedra and three-sided sticks."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray, FloatArray, as_floats, as_indices
from pruxel.core.geometry.normals import vertex_normals
from pruxel.core.scene.model import Mesh, Primitive, Scene, Strokes

_MOST = 60_000
_THICKNESS = 0.004
_OCTAHEDRON = np.array([(1, 0, 0), (-1, 0, 0), (0, 1, 0), (0, -1, 0), (0, 0, 1), (0, 0, -1)], float)
_SIDES = np.array([(0, 2, 4), (2, 1, 4), (1, 3, 4), (3, 0, 4), (2, 0, 5), (1, 2, 5), (3, 1, 5), (0, 3, 5)])
_PRISM = np.array([(0, 1, 4), (0, 4, 3), (1, 2, 5), (1, 5, 4), (2, 0, 3), (2, 3, 5), (0, 2, 1), (3, 4, 5)])


def with_solid_strokes(scene: Scene) -> Scene:
    """The scene with its points and lines as thin solids; for looking only. Of very many, evenly chosen ones."""
    if not any(mesh.strokes for mesh in scene.meshes):
        return scene
    return replace(scene, meshes=tuple(_solid(mesh) if mesh.strokes else mesh for mesh in scene.meshes))


def _solid(mesh: Mesh) -> Mesh:
    everything = [*(s.positions for s in mesh.strokes), *(p.positions for p in mesh.primitives)]
    low, high = (
        np.min([a.min(axis=0) for a in everything], axis=0),
        np.max([a.max(axis=0) for a in everything], axis=0),
    )
    radius = max(float((high - low).max()), 1e-9) * _THICKNESS
    solids = tuple(_as_solid(strokes, radius) for strokes in mesh.strokes if len(strokes.indices))
    return replace(mesh, primitives=mesh.primitives + solids, strokes=())


def _as_solid(strokes: Strokes, radius: float) -> Primitive:
    step = -(-len(strokes.indices) // _MOST)
    chosen = strokes.indices[::step]
    ends = strokes.positions[chosen].astype(np.float64)
    if chosen.shape[1] == 1:
        points, faces = ends + _OCTAHEDRON * radius, _SIDES
    else:
        points, faces = _prisms(ends, radius), _PRISM
    count = points.shape[1]
    corners = (np.arange(len(points)) * count)[:, None, None] + faces
    positions, indices = as_floats(points.reshape(-1, 3), 3), as_indices(corners.reshape(-1, 3))
    return Primitive(
        positions,
        indices,
        normals=vertex_normals(positions, indices),
        colors=tuple(_spread(c, chosen, count) for c in strokes.colors),
        material=strokes.material,
    )


def _spread(colors: FloatArray, chosen: AnyArray, count: int) -> FloatArray:
    return as_floats(np.repeat(colors[chosen[:, 0]], count, axis=0), 4)


def _prisms(ends: DoubleArray, radius: float) -> DoubleArray:
    """(m, 6, 3) corners of sticks from (m, 2, 3) ends."""
    along = ends[:, 1] - ends[:, 0]
    along /= np.maximum(np.linalg.norm(along, axis=1, keepdims=True), 1e-30)
    side = np.cross(along, np.where(np.abs(along[:, :1]) < 0.9, (1.0, 0.0, 0.0), (0.0, 0.0, 1.0)))
    side /= np.maximum(np.linalg.norm(side, axis=1, keepdims=True), 1e-30)
    up = np.cross(along, side)
    angles = np.arange(3) * 2 * np.pi / 3
    ring = radius * (side[:, None] * np.cos(angles)[:, None] + up[:, None] * np.sin(angles)[:, None])
    return np.concatenate([ends[:, :1] + ring, ends[:, 1:] + ring], axis=1)

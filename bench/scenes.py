"""A surface of a million triangles."""

from __future__ import annotations

import numpy as np

from pruxel.core.base.arrays import as_floats, as_indices
from pruxel.core.geometry.normals import vertex_normals
from pruxel.core.scene.model import Mesh, Node, Primitive, Scene


def waves(side: int = 708) -> Scene:
    """A waved sheet of 2 (side - 1)² triangles with normals and UVs."""
    u, v = np.meshgrid(np.linspace(0, 1, side), np.linspace(0, 1, side))
    height = 0.1 * np.sin(u * 30) * np.cos(v * 20)
    positions = as_floats(np.stack([u, height, v], axis=-1), 3)
    grid = np.arange(side * side).reshape(side, side)
    a, b, c, d = grid[:-1, :-1], grid[1:, :-1], grid[1:, 1:], grid[:-1, 1:]
    faces = as_indices(np.concatenate([np.stack([a, b, c], -1).reshape(-1, 3), np.stack([a, c, d], -1).reshape(-1, 3)]))
    uvs = as_floats(np.stack([u, v], axis=-1), 2)
    primitive = Primitive(positions, faces, normals=vertex_normals(positions, faces), uvs=(uvs,))
    return Scene("waves", nodes=(Node("waves", mesh=0),), roots=(0,), meshes=(Mesh("waves", (primitive,)),))

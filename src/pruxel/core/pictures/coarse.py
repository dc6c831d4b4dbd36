"""Fewer triangles for small pictures: vertices that fall into one cell of a grid become one. Worked out once a mesh."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from pruxel.core.base.arrays import AnyArray, as_indices
from pruxel.core.geometry.measure import triangle_areas
from pruxel.core.scene.analyses import once_per_mesh
from pruxel.core.scene.measure import face_count
from pruxel.core.scene.model import Mesh, Primitive, Scene
from pruxel.core.scene.walk import parts

# What a picture of a few hundred texels a side can show at the most.
MOST_TRIANGLES = 60_000
_LEAST_OF_A_MESH = 400
_UV_CELLS = 12


def coarser(scene: Scene, most: int = MOST_TRIANGLES) -> Scene:
    """The scene with at most about `most` triangles on show, larger meshes giving way first; for looking only."""
    counts: dict[int, int] = {}
    for _, node, _ in parts(scene):
        if node.mesh is not None:
            counts[node.mesh] = counts.get(node.mesh, 0) + 1
    sizes = {m: face_count(scene.meshes[m]) for m in counts}
    total = sum(sizes[m] * often for m, often in counts.items())
    if total <= most:
        return scene
    share = most / total
    meshes = list(scene.meshes)
    for number, size in sizes.items():
        wanted = max(int(size * share), _LEAST_OF_A_MESH)
        if size > wanted and not any(p.joints is not None or p.targets for p in meshes[number].primitives):
            meshes[number] = _like(meshes[number], clustered(meshes[number], wanted))
    return replace(scene, meshes=tuple(meshes))


def _like(mesh: Mesh, corners: tuple[AnyArray, ...]) -> Mesh:
    """The mesh with other triangles over the same vertices."""
    pairs = zip(mesh.primitives, corners, strict=True)
    return replace(mesh, primitives=tuple(_compact(p, as_indices(indices)) for p, indices in pairs))


def _compact(primitive: Primitive, indices: AnyArray) -> Primitive:
    used, inverse = np.unique(indices, return_inverse=True)
    return Primitive(
        primitive.positions[used],
        as_indices(inverse.reshape(-1, 3)),
        normals=None if primitive.normals is None else primitive.normals[used],
        uvs=tuple(uv[used] for uv in primitive.uvs),
        colors=tuple(color[used] for color in primitive.colors),
        material=primitive.material,
    )


@once_per_mesh("positions", "indices", "normals", most=512)
def clustered(mesh: Mesh, wanted: int) -> tuple[AnyArray, ...]:
    """Corners (m, 3) of each primitive over its own vertices, about `wanted` triangles together."""
    total = face_count(mesh)
    areas = [float(triangle_areas(p.positions, p.indices).sum()) for p in mesh.primitives]
    # Two triangles a cell of surface, as on an even grid.
    cell = float(np.sqrt(2 * max(sum(areas), 1e-30) / wanted))
    return tuple(
        _clustered(p, cell) if len(p.indices) > _LEAST_OF_A_MESH * len(p.indices) / total else p.indices
        for p in mesh.primitives
    )


def _clustered(primitive: Primitive, cell: float) -> AnyArray:
    keys = [np.floor(primitive.positions / cell).astype(np.int64)]
    if primitive.uvs:
        # Seams of the texture stay apart, else its patches would run into each other.
        keys.append(np.floor(primitive.uvs[0] * _UV_CELLS).astype(np.int64))
    if primitive.normals is not None:
        keys.append((primitive.normals > 0.1).astype(np.int64) - (primitive.normals < -0.1))
    mixed = np.zeros(len(primitive.positions), np.uint64)
    for column in np.concatenate(keys, axis=1).T:
        mixed = (mixed ^ column.astype(np.uint64)) * np.uint64(0x9E3779B97F4A7C15)
        mixed ^= mixed >> np.uint64(29)
    _, first, inverse = np.unique(mixed, return_index=True, return_inverse=True)
    corners = first[inverse.reshape(-1)][primitive.indices]
    flat = (corners[:, 0] == corners[:, 1]) | (corners[:, 1] == corners[:, 2]) | (corners[:, 0] == corners[:, 2])
    left = corners[~flat]
    return left.astype(np.uint32) if len(left) else primitive.indices[:1]

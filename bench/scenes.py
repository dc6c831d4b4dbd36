"""A surface of a million triangles, and one that joints move."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from pruxel.core.base.arrays import as_floats, as_indices
from pruxel.core.geometry.normals import vertex_normals
from pruxel.core.scene.model import Clip, ClipChannel, Mesh, Node, Primitive, Scene, Skin


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


def tail(side: int = 317, joints: int = 24, clips: int = 4) -> Scene:
    """The sheet on a row of joints, four to a vertex, which clips of two seconds bend with 60 keys each."""
    sheet = waves(side).meshes[0].primitives[0]
    along = sheet.positions[:, 0] * (joints - 1)
    near = np.clip(np.floor(along)[:, None] + np.arange(-1, 3), 0, joints - 1).astype(np.uint16)
    pull = np.maximum(2 - np.abs(along[:, None] - near), 0.01)
    held = replace(sheet, joints=near, weights=as_floats(pull / pull.sum(axis=1, keepdims=True), 4))
    step = 1 / (joints - 1)
    chain = [
        Node(f"joint {k}", translation=(step if k else 0.0, 0.0, 0.0), children=(k + 1,) if k + 1 < joints else ())
        for k in range(joints)
    ]
    binds = np.tile(np.eye(4), (joints, 1, 1))
    binds[:, 0, 3] = -step * np.arange(joints)
    times = np.linspace(0, 2, 60, dtype=np.float32)
    moves = []
    for number in range(clips):
        bend = 0.2 * np.sin(times * 3 + number)
        turn = as_floats(np.stack([0 * bend, np.sin(bend / 2), 0 * bend, np.cos(bend / 2)], axis=1), 4)
        moves.append(Clip(f"bend {number}", tuple(ClipChannel(k, "rotation", times, turn) for k in range(joints))))
    return Scene(
        "tail",
        nodes=(*chain, Node("sheet", mesh=0, skin=0)),
        roots=(0, joints),
        meshes=(Mesh("sheet", (held,)),),
        skins=(Skin("tail", tuple(range(joints)), binds),),
        clips=tuple(moves),
    )

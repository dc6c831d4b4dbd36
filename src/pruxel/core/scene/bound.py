"""Parts put onto joints, or onto others, so that they stand where they stood."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

import numpy as np
from scipy.sparse import csr_array

from pruxel.core.base.arrays import DoubleArray, as_floats, frozen
from pruxel.core.geometry.skinning import blended_matrices, moved_points, turned_directions, turned_tangents
from pruxel.core.geometry.weights import columns_of, weight_table
from pruxel.core.scene.edit import edit_meshes
from pruxel.core.scene.model import Mesh, MorphTarget, Primitive, Scene
from pruxel.core.scene.pose import baked, joint_matrices
from pruxel.core.scene.walk import parts, world_from_local

_FLAT, _STAYS = 1e-12, 1e-6


def held_parts(scene: Scene) -> Iterator[tuple[int, int, Mesh]]:
    """The shown parts that joints hold: node, skin, mesh."""
    for index, node, mesh in parts(scene):
        if node.skin is not None and any(p.joints is not None for p in mesh.primitives):
            yield index, node.skin, mesh


def tables_of(scene: Scene, index: int) -> list[csr_array]:
    """The weights of each primitive of a part, (n, j) by the joints of its skin."""
    node = scene.nodes[index]
    assert node.mesh is not None
    assert node.skin is not None
    count = len(scene.skins[node.skin].joints)
    return [
        weight_table(p.joints, p.weights, len(p.positions), count) for p in scene.meshes[node.mesh].primitives
    ]  # fmt: skip


def with_weights(primitive: Primitive, table: csr_array, most: int, least: float = 0.0) -> Primitive:
    """The primitive pulled by other weights, no more than `most` a vertex."""
    joints, weights = columns_of(table, most, least)
    return replace(primitive, joints=frozen(joints), weights=frozen(weights))


def bound(scene: Scene, index: int, skin: int, tables: Sequence[csr_array], most: int = 4) -> Scene:
    """The scene with a part on a skin, by weights (n, j) a primitive, standing where it stood.

    Where the joints hold no place (a size of nothing), vertices stay as they are told.
    """
    world = world_from_local(scene)
    node = scene.nodes[index]
    assert node.mesh is not None
    then = joint_matrices(scene, skin, world)
    now = None if node.skin is None else joint_matrices(scene, node.skin, world)
    made = []
    for p, table in zip(scene.meshes[node.mesh].primitives, tables, strict=True):
        if now is None or p.joints is None or p.weights is None:
            # What no joint holds stands where its node is; from now on where that is in the world.
            [solid] = baked(Mesh("", (p,)), world[index]).primitives
            each = np.broadcast_to(np.eye(4), (len(p.positions), 4, 4))
        else:
            solid, each = p, blended_matrices(now, p.joints, p.weights)
        hung = with_weights(solid, table, most)
        assert hung.joints is not None
        assert hung.weights is not None
        there = blended_matrices(then, hung.joints, hung.weights)
        firm = np.abs(np.linalg.det(there[:, :3, :3])) > _FLAT
        back = np.linalg.inv(np.where(firm[:, None, None], there, np.eye(4)))
        made.append(carried(hung, np.where(firm[:, None, None], back @ each, np.eye(4))))
    changed = edit_meshes(scene, {index}, lambda mesh: replace(mesh, primitives=tuple(made)))
    nodes = list(changed.nodes)
    nodes[index] = replace(nodes[index], skin=skin)
    return replace(changed, nodes=tuple(nodes))


def carried(p: Primitive, each: DoubleArray) -> Primitive:
    """The primitive with every vertex moved by its own (n, 4, 4) matrix, and its shapes along."""
    if not len(each) or np.abs(each - np.eye(4)).max() < _STAYS:
        return p

    def shape(target: MorphTarget) -> MorphTarget:
        linear = each.copy()
        linear[:, :3, 3] = 0
        moved = None if target.positions is None else as_floats(moved_points(target.positions, linear), 3)
        turned = target.normals
        if turned is not None and p.normals is not None:
            after = turned_directions(as_floats(p.normals + turned, 3), each)
            turned = as_floats(after - turned_directions(p.normals, each), 3)
        return replace(target, positions=moved, normals=turned)

    return replace(
        p,
        positions=as_floats(moved_points(p.positions, each), 3),
        normals=None if p.normals is None else as_floats(turned_directions(p.normals, each), 3),
        tangents=None if p.tangents is None else as_floats(turned_tangents(p.tangents, each), 4),
        targets=tuple(shape(target) for target in p.targets),
    )

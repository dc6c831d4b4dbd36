"""A scene at one moment: of a clip, and as it stands."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from dataclasses import replace
from typing import Any

import numpy as np

from pruxel.core.base.arrays import DoubleArray, as_floats, as_indices
from pruxel.core.geometry.skinning import held_surface, value_at
from pruxel.core.geometry.transforms import transform_points
from pruxel.core.scene.model import Clip, Mesh, MorphTarget, Node, Primitive, Scene, Strokes
from pruxel.core.scene.walk import parts, world_from_local, world_normals, world_positions


def posed(scene: Scene, clip: Clip, seconds: float) -> Scene:
    """The scene with nodes and shapes where the clip has them at a time; skins, clips and how all looks stay."""
    nodes = list(scene.nodes)
    for channel in clip.channels:
        turn = channel.path == "rotation"
        values = channel.values
        if channel.path == "weights":
            # One row a key (three for splines), however the file groups the numbers.
            rows = len(channel.times) * (3 if channel.interpolation == "CUBICSPLINE" else 1)
            values = values.reshape(rows, -1)
        value = value_at(channel.times, values, seconds, channel.interpolation, turn=turn).astype(float).tolist()
        node = nodes[channel.node]
        matrix = node.matrix if channel.path == "weights" else None
        moved: dict[str, Any] = {channel.path: tuple(value), "matrix": matrix}
        nodes[channel.node] = replace(node, **moved)
    return replace(scene, nodes=tuple(nodes))


def joint_matrices(scene: Scene, skin: int, world: DoubleArray) -> DoubleArray:
    """The (j, 4, 4) world_from_mesh matrices of a skin's joints; `world` is world_from_local of all nodes."""
    found = scene.skins[skin]
    return np.stack([world[joint] @ bind for joint, bind in zip(found.joints, found.inverse_bind, strict=True)])


def standing(scene: Scene, only: Collection[int] | None = None) -> Iterator[tuple[int, Node, Mesh]]:
    """Every shown part (or those of some nodes) in world space as it stands, counter-clockwise fronts.

    Morph targets are mixed in and joints hold their vertices; a skin disregards where its part stands (glTF 2.0,
    section 3.7.3.3). Arrays of a part that stays where it is are the very ones of the scene.
    """
    world = world_from_local(scene)
    for index, node, mesh in parts(scene):
        if only is not None and index not in only:
            continue
        weights = mesh.target_weights if node.weights is None else node.weights
        shaped = [mixed(p, weights) for p in mesh.primitives]
        if node.skin is not None:
            pull = joint_matrices(scene, node.skin, world)
            # A primitive that no joint holds has no place in a skin; it stands where its node is.
            solid = [held(p, pull) if p.joints is not None else moved(p, world[index]) for p in shaped]
        else:
            solid = [moved(p, world[index]) for p in shaped]
        strokes = tuple(moved_strokes(s, world[index]) for s in mesh.strokes)
        yield index, node, replace(mesh, primitives=tuple(solid), strokes=strokes, target_weights=())


def stiff(scene: Scene) -> Scene:
    """The scene as it stands, without skins, shapes and clips: a flat list of parts in world space."""
    found = list(standing(scene))
    nodes = tuple(
        Node(node.name, mesh=number, role=node.role, detail=node.detail, extras=node.extras, origin=node.origin)
        for number, (_, node, _) in enumerate(found)
    )
    return replace(
        scene,
        nodes=nodes,
        roots=tuple(range(len(nodes))),
        stages=(),
        meshes=tuple(mesh for _, _, mesh in found),
        skins=(),
        clips=(),
        cameras=(),
        lights=(),
    )


def mixed(primitive: Primitive, weights: tuple[float, ...]) -> Primitive:
    """The primitive with its shapes mixed in, and without them."""
    if not primitive.targets:
        return primitive
    positions = primitive.positions.astype(np.float64)
    normals = None if primitive.normals is None else primitive.normals.astype(np.float64)
    for target, weight in zip(primitive.targets, weights, strict=False):
        if target.positions is not None and weight:
            positions = positions + weight * target.positions
        if target.normals is not None and normals is not None and weight:
            normals = normals + weight * target.normals
    if normals is not None:
        normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-20)
    return replace(
        primitive,
        positions=as_floats(positions, 3),
        normals=None if normals is None else as_floats(normals, 3),
        targets=(),
    )


def held(primitive: Primitive, matrices: DoubleArray) -> Primitive:
    """The primitive in world space, each vertex where its joints' (j, 4, 4) world_from_mesh matrices hold it."""
    if primitive.joints is None or primitive.weights is None:
        return primitive
    points, normals, tangents = held_surface(
        primitive.positions, primitive.normals, primitive.tangents, primitive.joints, primitive.weights, matrices
    )
    return replace(
        primitive,
        positions=as_floats(points, 3),
        normals=None if normals is None else as_floats(normals, 3),
        tangents=None if tangents is None else as_floats(tangents, 4),
        joints=None,
        weights=None,
    )


def moved(primitive: Primitive, matrix: DoubleArray) -> Primitive:
    """The primitive by a (4, 4) matrix; a mirroring one turns the corners, so that fronts stay fronts."""
    if np.array_equal(matrix, np.eye(4)):
        return primitive
    normals = world_normals(primitive, matrix)
    mirrored = np.linalg.det(matrix[:3, :3]) < 0
    tangents = primitive.tangents
    if tangents is not None:
        along = tangents[:, :3] @ matrix[:3, :3].T
        along = along / np.maximum(np.linalg.norm(along, axis=1, keepdims=True), 1e-20)
        tangents = as_floats(np.concatenate([along, tangents[:, 3:] * (-1.0 if mirrored else 1.0)], axis=1), 4)
    return replace(
        primitive,
        positions=as_floats(world_positions(primitive, matrix), 3),
        normals=None if normals is None else as_floats(normals, 3),
        tangents=tangents,
        indices=as_indices(primitive.indices[:, ::-1]) if mirrored else primitive.indices,
    )


def baked(mesh: Mesh, matrix: DoubleArray) -> Mesh:
    """The mesh by a (4, 4) matrix, its strokes and shapes with it."""

    def one(p: Primitive) -> Primitive:
        made = moved(p, matrix)
        return replace(made, targets=tuple(_moved_target(t, p, matrix) for t in p.targets))

    strokes = tuple(moved_strokes(s, matrix) for s in mesh.strokes)
    return replace(mesh, primitives=tuple(one(p) for p in mesh.primitives), strokes=strokes)


def _moved_target(target: MorphTarget, p: Primitive, matrix: DoubleArray) -> MorphTarget:
    linear = matrix[:3, :3]
    normals = target.normals
    if normals is not None and p.normals is not None:
        before, after = (
            world_normals(replace(p, normals=as_floats(n, 3)), matrix) for n in (p.normals, p.normals + normals)
        )
        assert before is not None
        assert after is not None
        normals = as_floats(after - before, 3)
    return replace(
        target,
        positions=None if target.positions is None else as_floats(target.positions @ linear.T, 3),
        normals=normals,
        tangents=None if target.tangents is None else as_floats(target.tangents @ linear.T, 3),
    )


def moved_strokes(strokes: Strokes, matrix: DoubleArray) -> Strokes:
    """Points or lines by a (4, 4) matrix."""
    return replace(strokes, positions=as_floats(transform_points(strokes.positions, matrix), 3))

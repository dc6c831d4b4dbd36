"""A scene at one moment of a clip."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from pruxel.core.base.arrays import DoubleArray, as_floats
from pruxel.core.geometry.skinning import blended_matrices, moved_points, turned_directions, value_at
from pruxel.core.scene.model import Clip, Mesh, Primitive, Scene
from pruxel.core.scene.walk import parts, world_from_local


def posed(scene: Scene, clip: Clip, seconds: float) -> Scene:
    """The scene with nodes and shapes where the clip has them at a time; skins and clips stay."""
    nodes, meshes = list(scene.nodes), list(scene.meshes)
    for channel in clip.channels:
        turn = channel.path == "rotation"
        value = tuple(
            value_at(channel.times, channel.values, seconds, channel.interpolation, turn=turn).astype(float).tolist()
        )
        node = nodes[channel.node]
        match channel.path:
            case "translation":
                nodes[channel.node] = replace(node, translation=value)
            case "rotation":
                nodes[channel.node] = replace(node, rotation=value)
            case "scale":
                nodes[channel.node] = replace(node, scale=value)
            case "weights":
                if node.mesh is not None:
                    meshes.append(replace(meshes[node.mesh], target_weights=value))
                    nodes[channel.node] = replace(node, mesh=len(meshes) - 1)
    return replace(scene, nodes=tuple(nodes), meshes=tuple(meshes))


def stiff(scene: Scene) -> Scene:
    """The scene as it stands, without skins, shapes and clips: vertices lie where their joints hold them."""
    world = world_from_local(scene)
    nodes, meshes = list(scene.nodes), list(scene.meshes)
    for index, node, mesh in parts(scene):
        primitives = tuple(_shaped(p, mesh.target_weights) for p in mesh.primitives)
        if node.skin is not None:
            skin = scene.skins[node.skin]
            pull = np.stack([world[j] @ bind for j, bind in zip(skin.joints, skin.inverse_bind, strict=True)])
            # A skin disregards where its part stands: what is moved to the world is taken back to the part's place.
            own = np.linalg.inv(world[index]) @ pull
            primitives = tuple(_held(p, own) for p in primitives)
        meshes.append(Mesh(mesh.name, primitives))
        nodes[index] = replace(node, mesh=len(meshes) - 1, skin=None)
    return replace(scene, nodes=tuple(nodes), meshes=tuple(meshes), skins=(), clips=())


def _shaped(primitive: Primitive, weights: tuple[float, ...]) -> Primitive:
    """The primitive with its shapes mixed in."""
    positions = primitive.positions.astype(np.float64)
    for target, weight in zip(primitive.targets, weights, strict=False):
        positions = positions + weight * target.positions
    return replace(primitive, positions=as_floats(positions, 3), targets=())


def _held(primitive: Primitive, matrices: DoubleArray) -> Primitive:
    if primitive.joints is None or primitive.weights is None:
        return primitive
    each = blended_matrices(matrices, primitive.joints, primitive.weights)
    normals = primitive.normals
    return replace(
        primitive,
        positions=as_floats(moved_points(primitive.positions, each), 3),
        normals=None if normals is None else as_floats(turned_directions(normals, each), 3),
        tangents=None,
        joints=None,
        weights=None,
    )

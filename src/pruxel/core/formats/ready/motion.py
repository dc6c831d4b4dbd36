"""Clips that every player takes."""

from __future__ import annotations

from collections import Counter
from dataclasses import replace

import numpy as np

from pruxel.core.base.arrays import frozen
from pruxel.core.scene.edit import unique_names
from pruxel.core.scene.model import Clip, ClipChannel, Node, Scene


def with_playable_clips(scene: Scene, told: list[str]) -> Scene:
    """Rotations of unit length; no weights for what has no targets."""
    counts = [max((len(p.targets) for p in mesh.primitives), default=0) for mesh in scene.meshes]

    def plays(clip: Clip, channel: ClipChannel) -> bool:
        if channel.path != "weights":
            return True
        mesh = scene.nodes[channel.node].mesh
        rows = len(channel.times) * (3 if channel.interpolation == "CUBICSPLINE" else 1)
        fits = mesh is not None and counts[mesh] > 0 and channel.values.size == rows * counts[mesh]
        if not fits:
            told.append(
                f"clip '{clip.name}' weighs targets that '{scene.nodes[channel.node].name}' does not have; left out"
            )
        return fits

    clips = tuple(
        replace(clip, channels=tuple(_unit(channel) for channel in clip.channels if plays(clip, channel)))
        for clip in scene.clips
    )
    nodes = tuple(_turned(node) for node in scene.nodes)
    return _shaped_by_themselves(replace(scene, nodes=nodes, clips=tuple(clip for clip in clips if clip.tracks)))


def _shaped_by_themselves(scene: Scene) -> Scene:
    """What a clip shapes has a mesh of its own (over the same arrays), and is no joint.

    Some players find shapes by the name of their mesh, and none on a joint.
    """
    shaped = {c.node for clip in scene.clips for c in clip.channels if c.path == "weights"}
    if not shaped:
        return scene
    joints = {joint for skin in scene.skins for joint in skin.joints}
    uses = Counter(node.mesh for node in scene.nodes)
    nodes, meshes = list(scene.nodes), list(scene.meshes)
    part_of: dict[int, int] = {}
    for index in sorted(shaped):
        node = nodes[index]
        if node.mesh is not None and uses[node.mesh] > 1:
            uses[node.mesh] -= 1
            meshes.append(replace(scene.meshes[node.mesh], name=node.name))
            node = replace(node, mesh=len(meshes) - 1)
        if index in joints:
            part_of[index] = len(nodes)
            nodes.append(
                Node(f"{node.name}.part", mesh=node.mesh, weights=node.weights, role=node.role, detail=node.detail)
            )
            node = replace(node, mesh=None, weights=None, children=(*node.children, part_of[index]))
        nodes[index] = node
    clips = tuple(
        replace(
            clip,
            channels=tuple(
                replace(c, node=part_of.get(c.node, c.node)) if c.path == "weights" else c for c in clip.channels
            ),
        )
        for clip in scene.clips
    )
    return replace(scene, nodes=unique_names(nodes), meshes=tuple(meshes), clips=clips)


def _unit(channel: ClipChannel) -> ClipChannel:
    if channel.path != "rotation" or channel.interpolation == "CUBICSPLINE":
        return channel
    length = np.linalg.norm(channel.values, axis=1, keepdims=True)
    if float(np.abs(length - 1).max()) < 1e-5:
        return channel
    return replace(channel, values=frozen((channel.values / length).astype(np.float32)))


def _turned(node: Node) -> Node:
    length = float(np.linalg.norm(node.rotation))
    if abs(length - 1) < 1e-7:
        return node
    x, y, z, w = (v / length for v in node.rotation)
    return replace(node, rotation=(x, y, z, w))

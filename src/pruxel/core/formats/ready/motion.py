"""Clips that every player takes."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from pruxel.core.base.arrays import frozen
from pruxel.core.scene.model import Clip, ClipChannel, Node, Scene


def with_playable_clips(scene: Scene, told: list[str]) -> Scene:
    """Rotations of unit length; no weights for what has no targets; what a clip moves is not placed by a matrix."""
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
    moved = {channel.node for clip in clips for channel in clip.channels if channel.path != "weights"}
    nodes = []
    for index, node in enumerate(scene.nodes):
        if node.matrix is not None and index in moved:
            told.append(f"'{node.name}' is moved by a clip and loses its shear")
        nodes.append(_placed(node, moving=index in moved))
    return replace(scene, nodes=tuple(nodes), clips=tuple(clip for clip in clips if clip.channels))


def _unit(channel: ClipChannel) -> ClipChannel:
    if channel.path != "rotation" or channel.interpolation == "CUBICSPLINE":
        return channel
    length = np.linalg.norm(channel.values, axis=1, keepdims=True)
    if float(np.abs(length - 1).max()) < 1e-5:
        return channel
    return replace(channel, values=frozen((channel.values / length).astype(np.float32)))


def _placed(node: Node, *, moving: bool) -> Node:
    length = float(np.linalg.norm(node.rotation))
    matrix = None if moving else node.matrix
    if abs(length - 1) < 1e-7 and matrix is node.matrix:
        return node
    x, y, z, w = (v / length for v in node.rotation)
    return replace(node, rotation=(x, y, z, w), matrix=matrix)

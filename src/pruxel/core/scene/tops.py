"""A scene moved as a whole: what stands below nothing is moved, and all else follows."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from pruxel.core.base.arrays import DoubleArray, as_floats, frozen
from pruxel.core.geometry.euler import products
from pruxel.core.geometry.transforms import quaternion_matrix
from pruxel.core.scene.model import IDENTITY_TURN, Clip, ClipChannel, Node, Scene, Vec3, Vec4, as_matrix
from pruxel.core.scene.walk import parents_of


@dataclass(frozen=True)
class Movement:
    """Scaled by a factor about the origin, then turned by xyzw about it, then shifted in metres."""

    factor: float = 1.0
    turn: Vec4 = IDENTITY_TURN
    shift: Vec3 = (0.0, 0.0, 0.0)

    @property
    def matrix(self) -> DoubleArray:
        """The (4, 4) new_from_old."""
        made = np.eye(4)
        made[:3, :3] = quaternion_matrix(self.turn) * self.factor
        made[:3, 3] = self.shift
        return made


def moved_whole(scene: Scene, movement: Movement) -> Scene:
    """The scene with its top nodes moved, and the keys of clips that put them elsewhere.

    Vertices, joints below and bind matrices stay as they are.
    """
    tops = {index for index, above in enumerate(parents_of(scene)) if above < 0}
    return replace(
        scene,
        nodes=tuple(_moved(node, movement) if index in tops else node for index, node in enumerate(scene.nodes)),
        clips=tuple(_clip_moved(clip, tops, movement) for clip in scene.clips),
    )


def _moved(node: Node, movement: Movement) -> Node:
    whole = movement.matrix
    x, y, z = (whole[:3, :3] @ np.array(node.translation) + whole[:3, 3]).tolist()
    a, b, c = (value * movement.factor for value in node.scale)
    turn = products(np.array(movement.turn), np.array(node.rotation))
    i, j, k, w = (turn / np.linalg.norm(turn)).tolist()
    return replace(
        node,
        translation=(x, y, z),
        rotation=(i, j, k, w) if movement.turn != IDENTITY_TURN else node.rotation,
        scale=(a, b, c),
        matrix=None if node.matrix is None else as_matrix(whole @ np.array(node.matrix)),
    )


def _clip_moved(clip: Clip, tops: set[int], movement: Movement) -> Clip:
    """Keys stand in place of the node's own placement, so they are moved as it is."""

    def moved(channel: ClipChannel) -> ClipChannel:
        if channel.node not in tops:
            return channel
        if channel.path == "scale":
            return replace(channel, values=frozen((channel.values * np.float32(movement.factor)).astype(np.float32)))
        if channel.path == "rotation" and movement.turn != IDENTITY_TURN:
            return replace(
                channel, values=as_floats(products(np.array(movement.turn), channel.values.astype(np.float64)), 4)
            )
        if channel.path == "translation":
            whole = movement.matrix
            values = channel.values.astype(np.float64) @ whole[:3, :3].T
            values[_places(channel)] += whole[:3, 3]
            return replace(channel, values=as_floats(values, 3))
        return channel

    return replace(clip, channels=tuple(moved(channel) for channel in clip.channels))


def _places(channel: ClipChannel) -> slice:
    """Which rows of translations are places: of a spline each key's middle row, the others are slopes."""
    return slice(1, None, 3) if channel.interpolation == "CUBICSPLINE" else slice(None)

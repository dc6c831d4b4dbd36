"""Where nodes stand over the time of a clip, and how far two moments of it are apart."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray
from pruxel.core.geometry.euler import angles_between_deg
from pruxel.core.geometry.mixing import standing_matrices
from pruxel.core.geometry.transforms import turns_of
from pruxel.core.scene.keys import all_at_times, at_times
from pruxel.core.scene.model import ChannelPath, Clip, Scene
from pruxel.core.scene.walk import every_in_order, local_matrix, parents_of

_STILL_DEG, _STILL_SHARE = 0.02, 1e-4
_MOST_NUMBERS = 4_000_000  # of matrices that are held at once


@dataclass(frozen=True, eq=False)
class Movement:
    """The nodes that a clip moves (n,), over times (m,): their turns (m, n, 4) xyzw, places (m, n, 3) in the world."""

    nodes: AnyArray
    seconds: DoubleArray
    turns: DoubleArray
    places: DoubleArray

    def apart(self, first: int, second: int) -> tuple[float, float]:
        """The largest turn in degrees and way in metres from one moment to another."""
        if not len(self.nodes):
            return 0.0, 0.0
        turned = angles_between_deg(self.turns[first], self.turns[second])
        gone = np.linalg.norm(self.places[first] - self.places[second], axis=1)
        return float(turned.max()), float(gone.max())

    def moves(self) -> AnyArray:
        """(m - 1,) bool: whether anything turns, or goes a share of its whole way, from each moment to the next."""
        turned, gone = self.steps()
        way = float(np.ptp(self.places, axis=0).max(initial=0.0))
        return (turned > _STILL_DEG) | (gone > max(_STILL_SHARE * way, 1e-6))

    def steps(self) -> tuple[DoubleArray, DoubleArray]:
        """The same from each moment to the next: (m - 1,) degrees and metres."""
        m = len(self.seconds)
        if m < 2 or not len(self.nodes):
            return np.zeros(max(m - 1, 0)), np.zeros(max(m - 1, 0))
        turned = angles_between_deg(self.turns[:-1].reshape(-1, 4), self.turns[1:].reshape(-1, 4))
        gone = np.linalg.norm(np.diff(self.places, axis=0), axis=2)
        return turned.reshape(m - 1, -1).max(axis=1), gone.max(axis=1)


def moving(scene: Scene, clip: Clip, seconds: DoubleArray) -> Movement:
    """Evaluate a clip at times (m,)."""
    found = worlds(scene, clip, seconds)
    nodes = np.array(sorted({channel.node for channel in clip.channels if channel.path != "weights"}), np.int64)
    turns = np.zeros((len(seconds), len(nodes), 4))
    turns[..., 3] = 1.0
    number = {int(node): n for n, node in enumerate(nodes)}
    for node, n in number.items():
        turns[:, n] = turns_of(local_matrix(scene.nodes[node])[None])[1][0]
    for channel in clip.channels:
        if channel.path == "rotation":
            turns[:, number[channel.node]] = at_times(channel, seconds)
    return Movement(nodes, seconds, turns, found[:, nodes][..., :3, 3])


def worlds(scene: Scene, clip: Clip, seconds: DoubleArray) -> DoubleArray:
    """The (m, n, 4, 4) world_from_local matrices of all nodes at times (m,)."""
    nodes = scene.nodes
    shape = (len(seconds), len(nodes))
    tracks: dict[str, DoubleArray] = {
        path: np.broadcast_to(np.array([getattr(n, path) for n in nodes]).reshape(-1, width), (*shape, width)).copy()
        for path, width in (("translation", 3), ("rotation", 4), ("scale", 3))
    }
    moving_channels = [channel for channel in clip.channels if channel.path != "weights"]
    # What stands by a matrix does so until a clip moves it.
    fixed = np.array([node.matrix is not None for node in nodes], bool)
    for channel, values in zip(moving_channels, all_at_times(moving_channels, seconds), strict=True):
        tracks[channel.path][:, channel.node] = values
        fixed[channel.node] = False
    turns = tracks["rotation"]
    length = np.linalg.norm(turns, axis=2, keepdims=True)
    turns /= np.where(length > 0, length, 1)
    held = np.zeros((len(nodes), 4, 4))
    for index in np.flatnonzero(fixed):
        held[index] = local_matrix(nodes[index])
    order = np.fromiter(every_in_order(scene), np.int64, len(nodes))
    above = np.array(parents_of(scene), np.int64)
    return standing_matrices(tracks["translation"], turns, tracks["scale"], above, order, held, fixed)


def at_rest(scene: Scene, node: int, path: ChannelPath, width: int) -> DoubleArray:
    """(1, width) what a channel of a node would be without a clip."""
    held = scene.nodes[node]
    if path != "weights":
        return np.array([getattr(held, path)], np.float64)
    own = held.weights or (() if held.mesh is None else scene.meshes[held.mesh].target_weights)
    return np.pad(np.array(own[:width], np.float64), (0, max(width - len(own), 0)))[None]


def moments_of(scene: Scene, end: float, rate: float, most: int = 300) -> DoubleArray:
    """Times from 0 to `end` at a rate, fewer where so many matrices would be too much."""
    room = max(2, min(most, _MOST_NUMBERS // max(16 * len(scene.nodes), 1)))
    count = int(min(max(round(end * rate), 1), room - 1)) + 1
    return np.linspace(0.0, end, count)

"""The nodes that carry a clip's whole movement, and other placings of them in the world."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from pruxel.core.base.arrays import DoubleArray
from pruxel.core.geometry.euler import on_one_side
from pruxel.core.geometry.transforms import turns_of
from pruxel.core.scene.keys import end_of, laid
from pruxel.core.scene.model import Clip, Scene
from pruxel.core.scene.motion import moments
from pruxel.core.scene.walk import downward, parents_of, world_from_local

_RATE = 60.0


def top_movers(scene: Scene, clip: Clip) -> list[int]:
    """The nodes that a clip moves and above which it moves none."""
    moved = {channel.node for channel in clip.channels if channel.path != "weights"}
    above, found = parents_of(scene), []
    for node in sorted(moved):
        at = above[node]
        while at >= 0 and at not in moved:
            at = above[at]
        if at < 0:
            found.append(node)
    return found


def main_mover(scene: Scene, clip: Clip) -> int | None:
    """Of these the one with most below it: the hips, and not a tool that is carried along."""
    tops = top_movers(scene, clip)
    sizes = {node: sum(1 for _ in downward(scene, [node])) for node in tops}
    return max(tops, key=lambda node: (sizes[node], -node), default=None)


def moments_for(clip: Clip) -> DoubleArray:
    """(m,) seconds at which a clip is laid out anew: its keys, and more where splines bend."""
    found = moments([channel for channel in clip.channels if channel.path != "weights"])
    if any(channel.interpolation == "CUBICSPLINE" for channel in clip.channels):
        end = end_of(clip)
        found = np.unique(np.concatenate([found, np.arange(0.0, end, 1 / _RATE), [end]]))
    return found


def placed_in_world(scene: Scene, clip: Clip, seconds: DoubleArray, wanted: Mapping[int, DoubleArray]) -> Clip:
    """The clip in which top movers stand, at times (m,), by (m, 4, 4) matrices in the world; sizes stay as they are."""
    world, above = world_from_local(scene), parents_of(scene)
    channels = [c for c in clip.channels if c.node not in wanted or c.path in {"scale", "weights"}]
    for node, matrices in wanted.items():
        up = np.linalg.pinv(world[above[node]]) if above[node] >= 0 else np.eye(4)
        places, turns, _ = turns_of(up @ matrices)
        channels += [
            laid(node, "translation", seconds, places),
            laid(node, "rotation", seconds, on_one_side(turns)),
        ]
    return replace(clip, channels=tuple(channels))

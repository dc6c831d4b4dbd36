"""How long a clip has the bones of a model: keys of places that joints only have because their bones are so long."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pruxel.core.scene.keys import key_values
from pruxel.core.scene.model import Clip, ClipChannel, Scene
from pruxel.core.scene.walk import parents_of

_STIFF = 0.05  # of its length: a bone whose joint moves no more than that is one


@dataclass(frozen=True, eq=False)
class Bone:
    """A track of places of a joint below another: `ratio` is how many times as long the clip has it, `stiff` or not."""

    channel: ClipChannel
    ratio: float
    stiff: bool


def bones_in(scene: Scene, clip: Clip) -> list[Bone]:
    """The bones that tracks of places tell of, in the order of the clip; none without a length at rest."""
    joints = {joint for skin in scene.skins for joint in skin.joints}
    above = parents_of(scene)
    found = []
    for channel in clip.channels:
        if channel.path != "translation" or channel.node not in joints or above[channel.node] not in joints:
            continue
        rest = float(np.linalg.norm(scene.nodes[channel.node].translation))
        rows = key_values(channel)
        lengths = np.linalg.norm(rows, axis=1)
        if rest > 1e-5 and len(lengths):
            moves = float(np.ptp(rows, axis=0).max())
            found.append(Bone(channel, float(np.median(lengths)) / rest, moves <= _STIFF * max(rest, lengths.max())))
    return found


def tops_of(scene: Scene) -> set[int]:
    """The joints that hang on no joint."""
    joints = {joint for skin in scene.skins for joint in skin.joints}
    above = parents_of(scene)
    return {joint for joint in joints if above[joint] not in joints}

"""Which joint is the other side's of which, and clips with left and right exchanged."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from pruxel.core.base.arrays import DoubleArray
from pruxel.core.fit.joint_names import sided
from pruxel.core.fit.pairing import Pair, Skeleton, skeleton_of
from pruxel.core.fit.transfer import carried_over, fitted
from pruxel.core.scene.keys import rows_of, with_keys
from pruxel.core.scene.model import Clip, ClipChannel, Scene
from pruxel.core.scene.walk import local_matrix, placed_by

_NEAR = 0.03  # of the skeleton's size: how far joints of two sides may rest from where the mirror shows them


def opposites(skeleton: Skeleton, axis: int) -> dict[str, str]:
    """The joint of the other side by each joint's name; what lies in the middle is its own.

    By names that differ by their side alone; else by where joints rest, mirrored along an axis (0 to 2) at the middle.
    """
    split = [sided(name) for name in skeleton.names]
    by_name = dict(zip(split[::-1], skeleton.names[::-1], strict=True))
    other = {"left": "right", "right": "left"}
    found = {
        name: by_name[other[side], rest]
        for name, (side, rest) in zip(skeleton.names, split, strict=True)
        if side and (other[side], rest) in by_name
    }
    places = skeleton.places
    if not len(places):
        return found
    known = [n for n, name in enumerate(skeleton.names) if name in found]
    # The mirror stands in the middle of what has two sides, else of all.
    middle = float(places[known or slice(None), axis].mean())
    shown = places.copy()
    shown[:, axis] = 2 * middle - shown[:, axis]
    size = float(np.ptp(places, axis=0).max()) or 1.0
    for n, name in enumerate(skeleton.names):
        if name in found:
            continue
        away = np.linalg.norm(places - shown[n], axis=1)
        free = [k for k in np.argsort(away, kind="stable") if found.get(skeleton.names[k], name) == name]
        near = next((k for k in free if away[k] <= _NEAR * size), n)
        back = np.linalg.norm(places - shown[near], axis=1)
        mutual = back[n] <= _NEAR * size
        found[name] = skeleton.names[near] if mutual else name
    return found


def mirrored_clip(scene: Scene, clip: Clip, axis: int) -> tuple[Clip, int]:
    """The clip with left and right exchanged, and how many joints have another one on the other side.

    The movement of the skeleton as a mirror shows it is carried over onto the skeleton as it is.
    """
    skeleton = skeleton_of(scene)
    partner = opposites(skeleton, axis)
    mirror = _in_mirror(scene, clip, axis)
    pairs = [Pair(name, partner[name], 1.0, "") for name in skeleton.names]
    # A joint that two would move is moved by the first.
    once = list({pair.target: pair for pair in reversed(pairs)}.values())[::-1]
    fit = fitted(mirror, scene, skeleton_of(mirror), skeleton, once, np.array([0.0, 0.0, 0.0, 1.0]))
    made = carried_over(fit, mirror.clips[0])
    return made, sum(a != b for a, b in partner.items())


def _in_mirror(scene: Scene, clip: Clip, axis: int) -> Scene:
    """The scene and the clip as a mirror across an axis shows them: every placing S·M·S of what it was."""
    s = np.eye(4)
    s[axis, axis] = -1
    nodes = tuple(placed_by(node, s @ local_matrix(node) @ s) for node in scene.nodes)
    channels = tuple(_channel_in_mirror(channel, axis) for channel in clip.channels)
    return replace(scene, nodes=nodes, clips=(replace(clip, channels=channels),))


def _channel_in_mirror(channel: ClipChannel, axis: int) -> ClipChannel:
    if channel.path in {"scale", "weights"}:
        return channel
    rows = rows_of(channel) * _signs(channel.path == "rotation", axis)
    return with_keys(channel, channel.times.astype(np.float64), rows)


def _signs(turn: bool, axis: int) -> DoubleArray:  # noqa: FBT001
    """A turn about the mirror's axis stays, others go the other way; of places the axis alone is exchanged."""
    signs = np.ones(4 if turn else 3)
    if turn:
        signs[[k for k in range(3) if k != axis]] = -1
    else:
        signs[axis] = -1
    return signs

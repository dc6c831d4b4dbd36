"""Hands and feet of a clip that was carried over: how far they are from where they should be, and brought there."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from dataclasses import dataclass, replace

import numpy as np

from pruxel.core.base.arrays import DoubleArray
from pruxel.core.fit.joint_names import meanings
from pruxel.core.fit.limbs import Limb, limb_to, reached
from pruxel.core.fit.transfer import Fit, applied
from pruxel.core.scene.keys import with_keys
from pruxel.core.scene.model import Clip, ClipChannel
from pruxel.core.scene.motion_at import worlds
from pruxel.core.scene.top_movers import moments_for, on_one_side
from pruxel.core.scene.walk import world_from_local

_SHORT = 1e-6


@dataclass(frozen=True, eq=False)
class _End:
    """A hand or foot on both skeletons, and how many times as long the target's limb is."""

    kind: str
    ours: Limb
    theirs: Limb
    ratio: float


def paths_apart(fit: Fit, clip: Clip, made: Clip, kinds: Collection[str] = ("hand", "foot")) -> float:
    """Metres that a hand or foot is at most from where its partner is, seen from where the limb hangs."""
    seconds = moments_for(clip)
    if not len(seconds):
        return 0.0
    world_a, world_b = worlds(fit.source, clip, seconds), worlds(fit.target, made, seconds)
    apart = [world_b[:, one.ours.end, :3, 3] - _wanted(fit, one, world_a, world_b) for one in _ends(fit, kinds)]
    return max((float(np.linalg.norm(one, axis=1).max()) for one in apart), default=0.0)


def with_ends_held(fit: Fit, clip: Clip, made: Clip, kinds: Collection[str]) -> Clip:
    """The carried clip whose limbs of some kinds bring their ends to where they should be, as far as they reach."""
    seconds = moments_for(clip)
    if not len(seconds):
        return made
    world_a, world_b = worlds(fit.source, clip, seconds), worlds(fit.target, made, seconds)
    empty = np.zeros(0, np.float32)
    channels = list(made.channels)
    for one in _ends(fit, kinds):
        turns = reached(fit.target, one.ours, world_b, _wanted(fit, one, world_a, world_b))
        channels = [c for c in channels if c.node not in turns or c.path != "rotation"]
        channels += [
            with_keys(ClipChannel(node, "rotation", empty, empty), seconds, on_one_side(rows))
            for node, rows in turns.items()
        ]
    return replace(made, channels=tuple(channels))


def _ends(fit: Fit, kinds: Collection[str]) -> Iterator[_End]:
    """The limbs of both that end in such joints, whose three joints all have partners."""
    names = [node.name for node in fit.target.nodes]
    rest_a, rest_b = world_from_local(fit.source), world_from_local(fit.target)
    for node, meant in enumerate(meanings(names)):
        if meant.kind not in kinds or node not in fit.partner:
            continue
        ours, theirs = limb_to(fit.target, node), limb_to(fit.source, fit.partner[node])
        if ours is None or theirs is None or fit.partner.get(ours.upper) != theirs.upper:
            continue
        length = _length(rest_a, theirs)
        if length > _SHORT:
            yield _End(meant.kind, ours, theirs, _length(rest_b, ours) / length)


def _length(rest: DoubleArray, limb: Limb) -> float:
    a, b, c = (rest[node, :3, 3] for node in (limb.upper, limb.lower, limb.end))
    return float(np.linalg.norm(b - a) + np.linalg.norm(c - b))


def _wanted(fit: Fit, one: _End, world_a: DoubleArray, world_b: DoubleArray) -> DoubleArray:
    """(m, 3) where the end should be: as far from where its limb hangs as its partner, by the length of the limb."""
    way = world_a[:, one.theirs.end, :3, 3] - world_a[:, one.theirs.upper, :3, 3]
    return world_b[:, one.ours.upper, :3, 3] + one.ratio * applied(fit.turn, way)

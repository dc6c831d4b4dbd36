"""Hands and feet of a clip that was carried over: how far they are from where they should be, and brought there."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import DoubleArray
from pruxel.core.fit.both import Both, both_at
from pruxel.core.fit.joint_names import meanings
from pruxel.core.fit.limbs import Limb, lengths_of, limb_to, reached
from pruxel.core.fit.transfer import Fit
from pruxel.core.geometry.euler import turned
from pruxel.core.scene.keys import with_turns
from pruxel.core.scene.model import Clip
from pruxel.core.scene.walk import parents_of, world_from_local

_SHORT = 1e-6
_KINDS = ("hand", "foot")


@dataclass(frozen=True, eq=False)
class End:
    """A hand or foot on both skeletons, and how many times as long the target's limb is."""

    kind: str
    ours: Limb
    theirs: Limb
    ratio: float


def ends_of(fit: Fit) -> list[End]:
    """The limbs of both that end in hands and feet, and that hang alike."""
    rest_a, rest_b = world_from_local(fit.source), world_from_local(fit.target)
    found = []
    for node, meant in enumerate(meanings([node.name for node in fit.target.nodes])):
        if meant.kind not in _KINDS or node not in fit.partner:
            continue
        ours, theirs = limb_to(fit.target, node), limb_to(fit.source, fit.partner[node])
        if ours is None or theirs is None or fit.partner.get(ours.upper) != theirs.upper:
            continue
        length = _length(rest_a, theirs)
        if length > _SHORT:
            found.append(End(meant.kind, ours, theirs, _length(rest_b, ours) / length))
    return found


def _length(rest: DoubleArray, limb: Limb) -> float:
    first, second = lengths_of(rest[None], limb)
    return float(first[0] + second[0])


def paths_apart(fit: Fit, ends: Sequence[End], both: Both) -> float:
    """Metres that an end is at most from where its partner is, seen from where the limb hangs."""
    if not len(both.seconds) or not ends:
        return 0.0
    apart = [both.ours[:, one.ours.end, :3, 3] - _wanted(fit, one, both) for one in ends]
    return max(float(np.linalg.norm(one, axis=1).max()) for one in apart)


def head_apart(fit: Fit, both: Both) -> float:
    """Metres that the head is at most from where its partner is, seen from the topmost joint; 0 where there is none."""
    above = parents_of(fit.target)
    kinds = meanings([node.name for node in fit.target.nodes])
    head = next((node for node, meant in enumerate(kinds) if meant.kind == "head" and node in fit.partner), None)
    if head is None or not len(both.seconds):
        return 0.0
    top = head
    at = above[head]
    while at >= 0:
        top, at = (at if at in fit.partner else top), above[at]
    way = both.theirs[:, fit.partner[head], :3, 3] - both.theirs[:, fit.partner[top], :3, 3]
    apart = both.ours[:, head, :3, 3] - both.ours[:, top, :3, 3] - fit.ratio * turned(fit.turn, way)
    return float(np.linalg.norm(apart, axis=1).max())


def with_ends_held(fit: Fit, ends: Sequence[End], clip: Clip, made: Clip) -> Clip:
    """The carried clip whose limbs bring their ends to where they should be, as far as they reach."""
    both = both_at(fit, clip, made)
    if not len(both.seconds) or not ends:
        return made
    for one in ends:
        made = with_turns(made, both.seconds, reached(fit.target, one.ours, both.ours, _wanted(fit, one, both)))
    return made


def _wanted(fit: Fit, one: End, both: Both) -> DoubleArray:
    """(m, 3) where the end should be: as far from where its limb hangs as its partner, by the length of the limb."""
    way = both.theirs[:, one.theirs.end, :3, 3] - both.theirs[:, one.theirs.upper, :3, 3]
    return both.ours[:, one.ours.upper, :3, 3] + one.ratio * turned(fit.turn, way)

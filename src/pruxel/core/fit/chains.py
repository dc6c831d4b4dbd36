"""Joints without a partner that turn all the same: those within a spine, and those that only share a limb's twist."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import DoubleArray
from pruxel.core.fit.joint_kinds import kinds_in
from pruxel.core.fit.pairing import Skeleton
from pruxel.core.geometry.euler import inverses, products, slerps, turned, unit_rows

_BENDING = frozenset({"spine", "chest", "neck", "tail"})
_ENDING = _BENDING | {"head"}


@dataclass(frozen=True)
class Between:
    """A joint between two that have partners, and how far along the way (0 to 1). It bends along, or only twists."""

    above: int
    below: int
    share: float
    twists: bool


def shared_joints(skeleton: Skeleton, paired: Mapping[int, int]) -> dict[int, Between]:
    """By node: the joints without a partner that share the turns of the partners around them."""
    kinds = [meant.kind for meant in kinds_in(skeleton.names, skeleton.above)]
    has = [node in paired for node in skeleton.nodes]
    found = {}
    for n, kind in enumerate(kinds):
        if has[n] or kind not in _BENDING | {"twist"}:
            continue
        up = _first_above(skeleton, n, has)
        if up < 0:
            continue
        twists = kind == "twist"
        ends = _first_below(skeleton, n, has)
        if not twists:
            ends = [k for k in ends if kinds[k] in _ENDING]
        elif not ends:
            ends = [k for k in _first_below(skeleton, up, has) if k != n]
        if len(ends) == 1:
            share = _along(skeleton, up, n, ends[0]) if twists else _counted(skeleton, up, n, ends[0])
            found[skeleton.nodes[n]] = Between(skeleton.nodes[up], skeleton.nodes[ends[0]], share, twists)
    return found


def _first_above(skeleton: Skeleton, joint: int, has: list[bool]) -> int:
    at = int(skeleton.above[joint])
    while at >= 0 and not has[at]:
        at = int(skeleton.above[at])
    return at


def _first_below(skeleton: Skeleton, joint: int, has: list[bool]) -> list[int]:
    """The nearest joints below that have partners, each on a way of its own."""
    found, ways = list[int](), {joint}
    for n in range(joint + 1, len(skeleton.nodes)):
        if int(skeleton.above[n]) in ways:
            if has[n]:
                found.append(n)
            else:
                ways.add(n)
    return found


def _counted(skeleton: Skeleton, up: int, joint: int, end: int) -> float:
    """How much of what is turned between the partners is turned up to this joint: as one of so many in a row."""
    row, at = 0, end
    while at != up:
        row, at = row + 1, int(skeleton.above[at])
    place, at = 0, joint
    while at != up:
        place, at = place + 1, int(skeleton.above[at])
    return place / row


def _along(skeleton: Skeleton, up: int, joint: int, end: int) -> float:
    way = skeleton.places[end] - skeleton.places[up]
    length = float(way @ way)
    return float(np.clip((skeleton.places[joint] - skeleton.places[up]) @ way / length, 0, 1)) if length > 0 else 0.5


def shared_turn(
    one: Between, node: int, world: Callable[[int], DoubleArray], rest: DoubleArray, places: DoubleArray
) -> DoubleArray:
    """The (m, 4) turn in the world of a joint that shares; `world` gives those of joints with partners.

    `rest` (n, 4) are turns and `places` (n, 3) where nodes are in the world at rest.
    """
    above, below = world(one.above), world(one.below)
    if not one.twists:
        first = products(above, inverses(rest[one.above])[None])
        second = products(below, inverses(rest[one.below])[None])
        gone = slerps(first, second, np.full(len(first), one.share))
        return products(gone, rest[node][None])
    # In the frame of the limb: what its end has turned since it rested, of that what goes about the bone.
    own = products(inverses(above), below)
    rested = products(inverses(rest[one.above])[None], rest[one.below][None])
    since = products(own, inverses(rested))
    bone = turned(inverses(rest[one.above])[None], (places[one.below] - places[one.above])[None])
    axis = unit_rows(bone)[0]
    about = since[:, :3] @ axis
    twist = np.concatenate([about[:, None] * axis, since[:, 3:]], axis=1)
    length = np.linalg.norm(twist, axis=1, keepdims=True)
    none = np.broadcast_to(np.array([0.0, 0.0, 0.0, 1.0]), twist.shape)
    twist = np.where(length > 1e-9, twist / np.maximum(length, 1e-9), none)
    part = slerps(none, twist, np.full(len(twist), one.share))
    held = products(inverses(rest[one.above])[None], rest[node][None])
    return products(above, products(part, held))

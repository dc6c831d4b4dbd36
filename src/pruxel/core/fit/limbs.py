"""Limbs of two bones that bring their end to a place: hands that are pulled, feet that stay where they stand."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import DoubleArray
from pruxel.core.fit.joint_names import meanings
from pruxel.core.geometry.euler import arcs, inverses, products, turned, turns_of_axes, unit_rows
from pruxel.core.geometry.transforms import turns_of
from pruxel.core.scene.model import Scene
from pruxel.core.scene.walk import parents_of, world_from_local

_SHORT = 1e-6
_STRETCHED = 0.9999  # of both bones: a limb that is quite straight has no side to bend to


@dataclass(frozen=True)
class Limb:
    """The nodes of a limb: where it hangs, where it bends, where it ends."""

    upper: int
    lower: int
    end: int


def limb_to(scene: Scene, end: int) -> Limb | None:
    """The two bones above a joint, past joints that only twist or have no length; None where there are no two."""
    above, world = parents_of(scene), world_from_local(scene)
    found, at = list[int](), end
    while len(found) < 2 and above[at] >= 0:
        up, below = above[at], found[-1] if found else end
        away = float(np.linalg.norm(world[up, :3, 3] - world[below, :3, 3]))
        if away > _SHORT and meanings([scene.nodes[up].name])[0].kind != "twist":
            found.append(up)
        at = up
    return Limb(found[1], found[0], end) if len(found) == 2 else None


def lengths_of(world: DoubleArray, limb: Limb) -> tuple[DoubleArray, DoubleArray]:
    """(m,) metres of both bones, by (m, n, 4, 4) matrices of all nodes."""
    a, b, c = (world[:, node, :3, 3] for node in (limb.upper, limb.lower, limb.end))
    return np.linalg.norm(b - a, axis=1), np.linalg.norm(c - b, axis=1)


def reached(scene: Scene, limb: Limb, world: DoubleArray, targets: DoubleArray) -> dict[int, DoubleArray]:
    """The (m, 4) rotations of a limb's three joints after which its end is at (m, 3) places, or as near as it comes.

    `world` (m, n, 4, 4) are all nodes before. The limb bends in the plane that it bends in; the end looks where it
    looked. By the law of cosines.
    """
    a, b, c = (world[:, node, :3, 3] for node in (limb.upper, limb.lower, limb.end))
    first, second = (np.maximum(length, _SHORT) for length in lengths_of(world, limb))
    far = np.linalg.norm(targets - a, axis=1)
    wanted = np.clip(far, np.abs(first - second) + _SHORT, _STRETCHED * (first + second))
    now = angle_between(a - b, c - b)
    then = np.arccos(np.clip((first**2 + second**2 - wanted**2) / (2 * first * second), -1, 1))
    bend = turns_of_axes(_hinge(world, limb, a, b, c), then - now)
    folded = b + turned(bend, c - b)
    aim = arcs(folded - a, targets - a)
    above = parents_of(scene)
    turns = {node: turns_of(world[:, node])[1] for node in (limb.upper, limb.lower, limb.end)}
    after = {
        limb.upper: products(aim, turns[limb.upper]),
        limb.lower: products(aim, products(bend, turns[limb.lower])),
        limb.end: turns[limb.end],
    }
    # What stands above each has been turned by what the joints above it were.
    over = {limb.upper: _none(len(a)), limb.lower: aim, limb.end: products(aim, bend)}
    found = {}
    for node, turn in after.items():
        up = above[node]
        holder = products(over[node], turns_of(world[:, up])[1]) if up >= 0 else _none(len(a))
        found[node] = products(inverses(holder), turn)
    return found


def _hinge(world: DoubleArray, limb: Limb, a: DoubleArray, b: DoubleArray, c: DoubleArray) -> DoubleArray:
    """(m, 3) the axis about which the lower bone opens: a positive turn makes the angle at the joint wider."""
    axis = np.cross(a - b, c - b)
    size = np.linalg.norm(axis, axis=1)
    straight = size < 1e-4 * np.linalg.norm(a - b, axis=1) * np.linalg.norm(c - b, axis=1)
    if straight.any():
        # A straight limb bends about the axis of its own that lies most across it.
        own = world[:, limb.lower, :3, :3]
        along = unit_rows(c - b)
        lie = np.abs(np.einsum("mij,mi->mj", own, along))
        best = np.take_along_axis(own, lie.argmin(axis=1)[:, None, None], axis=2)[:, :, 0]
        across = unit_rows(best - along * (best * along).sum(axis=1, keepdims=True))
        axis = np.where(straight[:, None], across, axis)
    return unit_rows(axis)


def angle_between(first: DoubleArray, second: DoubleArray) -> DoubleArray:
    """(n,) radians from ways (n, 3) to others, exact for small ones."""
    crossed = np.linalg.norm(np.cross(first, second), axis=1)
    return np.arctan2(crossed, (first * second).sum(axis=1))


def _none(count: int) -> DoubleArray:
    return np.tile(np.array([0.0, 0.0, 0.0, 1.0]), (count, 1))

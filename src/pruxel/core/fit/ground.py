"""When feet stand on the ground, and how fast they slide there."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray
from pruxel.core.fit.joint_names import meanings
from pruxel.core.fit.limbs import Limb, lengths_of, limb_to
from pruxel.core.fit.pairing import skeleton_of
from pruxel.core.scene.model import Clip, Scene
from pruxel.core.scene.motion_at import worlds

# By the length of the leg: how far above its lowest a foot still stands, and how fast it may rise or fall meanwhile.
_HIGH, _RISING = 0.035, 0.3
_UPRIGHT = 0.75  # how far the hip is above it: who swims or lies stands on nothing
_LEAST_SECONDS = 0.1
_SETTLED = 0.15  # of a contact, at both of its ends: there a foot still rolls
RATE = 30.0


@dataclass(frozen=True)
class Contact:
    """A foot on the ground from one moment to another (numbers of both), and its speed there in metres a second."""

    limb: Limb
    start: int
    end: int
    speed: float


@dataclass(frozen=True, eq=False)
class Treading:
    """A clip as feet see it: its moments (m,), where all nodes are (m, n, 4, 4), and when feet are on the ground.

    `travels` in metres: how far, sideways and ahead, what carries the legs goes.
    """

    seconds: DoubleArray
    world: DoubleArray
    contacts: tuple[Contact, ...]
    travels: float
    leg: float


def feet_of(scene: Scene) -> list[Limb]:
    """The legs whose foot is called one, one a foot."""
    skeleton = skeleton_of(scene)
    found = list[Limb]()
    for node, meant in zip(skeleton.nodes, meanings(skeleton.names), strict=True):
        limb = limb_to(scene, node) if meant.kind == "foot" else None
        if limb is not None and all(limb.upper != other.upper for other in found):
            found.append(limb)
    return found


def treading(scene: Scene, clip: Clip, seconds: DoubleArray) -> Treading | None:
    """When which foot stands; None for what has no feet, or stands on none of them."""
    feet = feet_of(scene)
    if not feet or len(seconds) < 4:
        return None
    world = worlds(scene, clip, seconds)
    legs = [float(np.median(sum(lengths_of(world, limb)))) for limb in feet]
    if min(legs) < 1e-4:
        return None
    heights = [world[:, limb.end, 1, 3] for limb in feet]
    floor = [float(np.quantile(height, 0.02)) for height in heights]
    contacts = []
    for limb, height, low, leg in zip(feet, heights, floor, legs, strict=True):
        rising = np.abs(np.gradient(height, seconds))
        above = world[:, limb.upper, 1, 3] - height
        down = (height - low < _HIGH * leg) & (rising < _RISING * leg) & (above > _UPRIGHT * leg)
        contacts += [_contact(limb, world, seconds, a, b) for a, b in _runs(down, seconds)]
    hips = world[:, feet[0].upper, :3, 3]
    way = hips[:, [0, 2]] - hips[0, [0, 2]]
    return Treading(seconds, world, tuple(contacts), float(np.linalg.norm(way, axis=1).max()), float(np.mean(legs)))


def _runs(down: AnyArray, seconds: DoubleArray) -> list[tuple[int, int]]:
    edges = np.flatnonzero(np.diff(np.concatenate([[False], down, [False]]).astype(np.int8)))
    return [(int(a), int(b) - 1) for a, b in edges.reshape(-1, 2) if seconds[b - 1] - seconds[a] >= _LEAST_SECONDS]


def _contact(limb: Limb, world: DoubleArray, seconds: DoubleArray, start: int, end: int) -> Contact:
    spare = int(_SETTLED * (end - start))
    a, b = start + spare, end - spare
    flat = world[a : b + 1, limb.end][:, [0, 2], 3]
    way = float(np.linalg.norm(np.diff(flat, axis=0), axis=1).sum())
    return Contact(limb, start, end, way / max(float(seconds[b] - seconds[a]), 1e-6))

"""What a body cannot do, measured in clips that were carried over: feet below the ground, knees bent the wrong way."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import DoubleArray
from pruxel.core.fit.both import Both
from pruxel.core.fit.joint_kinds import kinds_in
from pruxel.core.fit.limbs import Limb, angle_between, limb_to
from pruxel.core.fit.pairing import skeleton_of
from pruxel.core.fit.transfer import Fit
from pruxel.core.geometry.euler import turned, unit_rows
from pruxel.core.scene.model import Scene
from pruxel.core.scene.walk import parents_of, world_from_local

_BACKWARDS = -0.5  # the cosine of where a knee points and where the hips look
_LEAST_DEG = 10.0  # a leg as straight as that has no side that it bends to


@dataclass(frozen=True)
class Strain:
    """Metres that feet go below the ground beyond what the source's do; degrees that a knee bends the wrong way."""

    below_ground: float = 0.0
    knees_deg: float = 0.0


def strain_of(fit: Fit, both: Both) -> Strain:
    """Measure a clip that was carried over; nothing for what has no feet."""
    feet_a, feet_b = _feet(fit.source), _feet(fit.target)
    if not len(both.seconds) or not feet_a or not feet_b:
        return Strain()
    theirs = _depth(fit.source, both.theirs, feet_a, fit.turn)
    ours = _depth(fit.target, both.ours, feet_b, np.array([0.0, 0.0, 0.0, 1.0]))
    below = np.maximum(ours, 0.0) - fit.ratio * np.maximum(theirs, 0.0)
    knees = [_wrong_way(fit.target, both.ours, limb) for limb in _legs(fit.target, feet_b)]
    return Strain(max(float(below.max()), 0.0), max(knees, default=0.0))


def _feet(scene: Scene) -> list[int]:
    skeleton = skeleton_of(scene)
    kinds = kinds_in(skeleton.names, skeleton.above)
    return [node for node, meant in zip(skeleton.nodes, kinds, strict=True) if meant.kind in {"foot", "toe"}]


def _legs(scene: Scene, feet: list[int]) -> list[Limb]:
    """The legs, one for each upper bone: toes hang on the same leg as their foot."""
    found: dict[int, Limb] = {}
    above = parents_of(scene)
    for foot in sorted(feet, key=lambda node: above[node] in feet):
        limb = limb_to(scene, foot)
        if limb is not None and above[foot] not in feet:
            found.setdefault(limb.upper, limb)
    return list(found.values())


def _depth(scene: Scene, world: DoubleArray, feet: list[int], turn: DoubleArray) -> DoubleArray:
    """(m,) how far the lowest foot is below where the lowest rests."""
    rest = turned(turn, world_from_local(scene)[feet][:, :3, 3])[:, 1].min()
    lowest = turned(turn, world[:, feet][..., :3, 3])[..., 1].min(axis=1)
    return np.asarray(rest - lowest, np.float64)


def _wrong_way(scene: Scene, world: DoubleArray, limb: Limb) -> float:
    """Degrees by which a knee is bent at most while it points away from where the hips look."""
    hip, knee, ankle = (world[:, node, :3, 3] for node in (limb.upper, limb.lower, limb.end))
    along = unit_rows(ankle - hip)
    side = (knee - hip) - along * ((knee - hip) * along).sum(axis=1, keepdims=True)
    bend = np.degrees(np.pi - angle_between(hip - knee, ankle - knee))
    ahead = unit_rows(_ahead(scene, world, limb))
    ahead = unit_rows(ahead - along * (ahead * along).sum(axis=1, keepdims=True))
    wrong = ((unit_rows(side) * ahead).sum(axis=1) < _BACKWARDS) & (bend > _LEAST_DEG)
    return float(bend[wrong].max(initial=0.0))


def _ahead(scene: Scene, world: DoubleArray, limb: Limb) -> DoubleArray:
    """(m, 3) where what the leg hangs on looks: at rest along the foot, else along +Z."""
    rest = world_from_local(scene)
    toes = scene.nodes[limb.end].children
    way = rest[toes[0], :3, 3] - rest[limb.end, :3, 3] if toes else np.array([0.0, 0.0, 1.0])
    way = np.array([way[0], 0.0, way[2]])
    if np.linalg.norm(way) < 1e-6:
        way = np.array([0.0, 0.0, 1.0])
    above = parents_of(scene)[limb.upper]
    if above < 0:
        return np.broadcast_to(way, (len(world), 3))
    return (world[:, above, :3, :3] @ np.linalg.pinv(rest[above, :3, :3]) @ way)[:, :3]

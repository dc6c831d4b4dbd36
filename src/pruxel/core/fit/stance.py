"""How a figure stands at rest: where its head is over its feet, and where it looks."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import DoubleArray
from pruxel.core.fit.joint_kinds import kinds_in
from pruxel.core.fit.pairing import skeleton_of
from pruxel.core.geometry.euler import unit_rows
from pruxel.core.scene.model import Scene

# Cosines: feet, hips and head on one line, as in who goes on two legs; what tells the front is no steeper than this,
# and tells the same.
_UPRIGHT, _STEEP, _AGREES = 0.8, 0.8, 0.5


@dataclass(frozen=True, eq=False)
class Stance:
    """`up` (3,) from feet to head and `front` (3,) where the figure looks, unit, in the world's axes at rest.

    `front` is None where neither its sides nor its toes tell it, or where these disagree.
    """

    up: DoubleArray
    front: DoubleArray | None


def stance_of(scene: Scene) -> Stance | None:
    """How the figure stands, by what its joints are called; None for what does not go on two legs."""
    skeleton = skeleton_of(scene)
    kinds = kinds_in(skeleton.names, skeleton.above)
    if not np.isfinite(skeleton.places).all():
        return None

    def middle(*wanted: str, side: str = "") -> DoubleArray | None:
        for kind in wanted:
            mine = [n for n, one in enumerate(kinds) if one.kind == kind and (not side or one.side == side)]
            if mine:
                found: DoubleArray = skeleton.places[mine].mean(axis=0)
                return found
        return None

    feet = [middle("foot", "toe", side=side) for side in ("left", "right")]
    hips, head = middle("hips", "thigh"), middle("head", "neck")
    if hips is None or head is None or feet[0] is None or feet[1] is None:
        return None
    low = (feet[0] + feet[1]) / 2
    up = _unit(head - low)
    if min(up @ _unit(hips - low), up @ _unit(head - hips)) < _UPRIGHT:
        return None
    told = list[DoubleArray]()
    left, right = (middle("thigh", "upper arm", "foot", side=side) for side in ("left", "right"))
    if left is not None and right is not None:
        told.append(np.cross(left - right, up))
    ankle, toes = middle("foot"), middle("toe")
    if ankle is not None and toes is not None:
        told.append(toes - ankle)
    fronts = [_unit(one - (one @ up) * up) for one in told if one.any() and abs(_unit(one) @ up) < _STEEP]
    agree = bool(fronts) and all(fronts[0] @ other > _AGREES for other in fronts)
    return Stance(up, fronts[0] if agree else None)


def _unit(way: DoubleArray) -> DoubleArray:
    return unit_rows(way[None])[0]

"""Where all joints of both skeletons are over a clip and what was made of it, worked out once for all who measure."""

from __future__ import annotations

from dataclasses import dataclass

from pruxel.core.base.arrays import DoubleArray
from pruxel.core.fit.transfer import Fit
from pruxel.core.scene.model import Clip
from pruxel.core.scene.motion_at import worlds
from pruxel.core.scene.top_movers import moments_for


@dataclass(frozen=True, eq=False)
class Both:
    """At moments (m,): the (m, n, 4, 4) world_from_local matrices of the source's nodes, and of the target's."""

    seconds: DoubleArray
    theirs: DoubleArray
    ours: DoubleArray


def both_at(fit: Fit, clip: Clip, made: Clip) -> Both:
    """At the moments of a clip that was carried over; without any of them nothing can be measured."""
    seconds = moments_for(clip)
    return Both(seconds, worlds(fit.source, clip, seconds), worlds(fit.target, made, seconds))

"""Feet that slide over the ground while they stand on it."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence, Finding, Severity, SuggestedStep
from pruxel.core.findings.registry import rule
from pruxel.core.fit.ground import RATE, Treading, feet_of, treading
from pruxel.core.scene.keys import end_of
from pruxel.core.scene.model import Scene
from pruxel.core.scene.motion_at import moments_of

# Legs a second. What treads on the spot slides as fast as it would walk, and rightly so: it must be slower than that.
_LEAST, _ON_THE_SPOT = 0.06, 0.5
_TRAVELS = 0.75  # legs that a figure goes to be one that walks


@rule("sliding_feet", "Feet that slide while they stand")
def sliding_feet(scene: Scene, context: Context) -> Iterator[Finding]:
    """Measure how fast each foot goes while it is at its lowest and neither rises nor falls."""
    if not scene.clips or not feet_of(scene):
        return
    for clip in scene.clips:
        context.check()
        seen = treading(scene, clip, moments_of(scene, end_of(clip), RATE))
        if seen is None or not seen.contacts or not _slides(seen):
            continue
        speeds = [one.speed for one in seen.contacts]
        yield Finding(
            rule="sliding_feet",
            severity=Severity.NOTE,
            title=f"Feet slide in “{clip.name}”: up to {100 * max(speeds):.0f} cm a second",
            detail="While a foot stands on the ground it should stay there. Clips from a figure of other legs slide.",
            evidence=(
                Evidence("fastest while a foot stands", round(100 * max(speeds), 1), "cm/s"),
                Evidence("times that a foot stands", len(speeds)),
                Evidence("told from", round(100 * _LEAST * seen.leg, 1), "cm/s"),
            ),
            suggestion=SuggestedStep("pin_feet", {"clips": [clip.name]}, f"Hold the feet of “{clip.name}”"),
        )


def _slides(seen: Treading) -> bool:
    speed = float(np.median([one.speed for one in seen.contacts])) / seen.leg
    return speed > _LEAST and (seen.travels > _TRAVELS * seen.leg or speed < _ON_THE_SPOT)

"""Clips that nearly go round, but jump where they begin anew."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence, Finding, Severity, SuggestedStep
from pruxel.core.findings.registry import rule
from pruxel.core.scene.model import Clip, Scene
from pruxel.core.scene.motion import facts_of
from pruxel.core.scene.motion_at import moments_of, moving

_RATE = 30.0
# A jump is one where it is larger than what a frame of the clip moves; and of one that was meant to go round where it
# is small beside all that the clip does.
_FRAMES, _SHARE = 1.5, 0.25
_LEAST_DEG, _LEAST_CM = 1.0, 0.5
_LEAST_SECONDS, _OVER = 0.4, 0.2


@rule("open_loops", "Clips that jump where they go round")
def open_loops(scene: Scene, context: Context) -> Iterator[Finding]:
    """Compare the last moment of each clip with its first: by the largest turn and way of a joint."""
    for clip in scene.clips:
        context.check()
        found = _jump(scene, clip)
        if found is None:
            continue
        turned, gone, usual = found
        yield Finding(
            rule="open_loops",
            severity=Severity.NOTE,
            title=f"“{clip.name}” nearly goes round: a jump of {turned:.1f}° and {100 * gone:.1f} cm",
            detail="It ends almost where it begins. Played round and round it jerks there each time.",
            evidence=(
                Evidence("largest turn of the jump", round(turned, 2), "°"),
                Evidence("largest way of the jump", round(100 * gone, 2), "cm"),
                Evidence("largest turn of a usual frame", round(usual, 2), "°"),
                Evidence("told from", _FRAMES, "frames"),
            ),
            suggestion=SuggestedStep(
                "close_loop", {"clips": [clip.name], "over": _OVER}, f"Close the loop of “{clip.name}”"
            ),
        )


def _jump(scene: Scene, clip: Clip) -> tuple[float, float, float] | None:
    """Turn in degrees and way in metres of a jump that is none of the movement, and the turn of a usual frame."""
    whole = facts_of(clip).seconds
    if whole < _LEAST_SECONDS:
        return None
    moments = moments_of(scene, whole, _RATE)
    movement = moving(scene, clip, moments)
    if not len(movement.nodes) or len(moments) < 6:
        return None
    turned, gone = movement.apart(0, len(moments) - 1)
    step_turns, step_ways = movement.steps()
    # A frame at the places where it moves most is the measure of what passes unseen.
    usual_turn, usual_way = float(np.quantile(step_turns, 0.75)), float(np.quantile(step_ways, 0.75))
    if turned < max(_LEAST_DEG, _FRAMES * usual_turn) and 100 * gone < max(_LEAST_CM, _FRAMES * 100 * usual_way):
        return None
    reached = [movement.apart(0, n) for n in range(len(moments))]
    most_turn, most_way = (max(values) for values in zip(*reached, strict=True))
    if turned > _SHARE * most_turn or gone > _SHARE * most_way:
        return None
    return turned, gone, usual_turn

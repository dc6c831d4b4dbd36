"""Clips whose times are counted in another unit than seconds."""

from __future__ import annotations

from collections.abc import Iterator

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence, Finding, Severity, SuggestedStep
from pruxel.core.findings.registry import rule
from pruxel.core.scene.model import Scene
from pruxel.core.scene.motion import facts_of

_USUAL = 30.0
_FAST = 400.0  # keys a second that nobody makes
_LEAST_KEYS = 8


@rule("wrong_pace", "Clips at a rate that nobody makes")
def wrong_pace(scene: Scene, context: Context) -> Iterator[Finding]:
    """Look at the rate of the keys: one a second is frames taken for seconds, hundreds are seconds taken for frames."""
    for clip in scene.clips:
        context.check()
        facts = facts_of(clip)
        if facts.frames < _LEAST_KEYS or not facts.rate:
            continue
        slow, fast = abs(facts.rate - 1) < 0.01, facts.rate > _FAST
        if not slow and not fast:
            continue
        speed = _USUAL / facts.rate
        yield Finding(
            rule="wrong_pace",
            severity=Severity.WARNING,
            title=f"“{clip.name}” has {facts.rate:g} {'key' if slow else 'keys'} a second",
            detail="Frames were taken for seconds: it creeps."
            if slow
            else "Its times are counted in another unit than seconds: it is over in a blink.",
            evidence=(
                Evidence("keys a second", facts.rate),
                Evidence("length", round(facts.seconds, 3), "s"),
                Evidence(f"length at {_USUAL:g} keys a second", round(facts.seconds / speed, 3), "s"),
            ),
            suggestion=SuggestedStep(
                "retime_clips",
                {"clips": [clip.name], "speed": round(speed, 6)},
                f"Play “{clip.name}” at {_USUAL:g} keys a second",
            ),
        )

"""Clips that stand still before they begin, or after they have ended."""

from __future__ import annotations

from collections.abc import Iterator

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence, Finding, Severity, SuggestedStep
from pruxel.core.findings.registry import rule
from pruxel.core.scene.model import Clip, Scene
from pruxel.core.scene.motion import facts_of
from pruxel.core.scene.motion_at import moments_of, moving

_RATE = 30.0
_LEAST_SECONDS, _LEAST_SHARE = 0.25, 0.08


@rule("still_ends", "Clips that begin or end with standing still")
def still_ends(scene: Scene, context: Context) -> Iterator[Finding]:
    """Measure, from moment to moment, how far joints turn and go; what never moves is a pose and no finding."""
    for clip in scene.clips:
        context.check()
        found = _stretch(scene, clip)
        if found is None:
            continue
        start, end, whole = found
        gone = start + (whole - end)
        words = " and ".join(
            said
            for said in (f"begins with {start:.2f} s" * (start > 0), f"ends with {whole - end:.2f} s" * (end < whole))
            if said
        )
        yield Finding(
            rule="still_ends",
            severity=Severity.NOTE,
            title=f"“{clip.name}” {words} of standing still",
            detail="A clip that goes round waits there each time, and one that follows another comes late.",
            evidence=(
                Evidence("first frame that moves", round(start * _RATE)),
                Evidence("last frame that moves", round(end * _RATE)),
                Evidence("length of the clip", round(whole, 3), "s"),
                Evidence("told from", _LEAST_SECONDS, "s"),
            ),
            suggestion=SuggestedStep(
                "trim_clips",
                {"clips": [clip.name], "start": round(start, 4), "end": round(end, 4)},
                f"Cut {gone:.2f} s off “{clip.name}”",
            ),
        )


def _stretch(scene: Scene, clip: Clip) -> tuple[float, float, float] | None:
    """From when to when a clip moves, and how long it is; None where nothing is to be cut."""
    whole = facts_of(clip).seconds
    if whole < 2 * _LEAST_SECONDS or any(channel.path == "weights" for channel in clip.channels):
        return None
    moments = moments_of(scene, whole, _RATE)
    moves = moving(scene, clip, moments).moves()
    if not moves.any():
        return None
    first, last = int(moves.argmax()), len(moves) - int(moves[::-1].argmax())
    start, end = float(moments[first]), float(moments[last])
    least = max(_LEAST_SECONDS, _LEAST_SHARE * whole)
    start, end = (start if start >= least else 0.0), (end if whole - end >= least else whole)
    return (start, end, whole) if start > 0 or end < whole else None

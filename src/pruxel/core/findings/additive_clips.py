"""Clips that tell how joints differ from a pose, and not how they stand."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence, Finding, Severity, SuggestedStep
from pruxel.core.findings.registry import rule
from pruxel.core.geometry.euler import angles_between_deg
from pruxel.core.scene.keys import rows_of
from pruxel.core.scene.model import ClipChannel, Scene

_TELLING_DEG = 25.0  # a joint that rests so far from no turn can tell one kind of clip from the other
_NEARER = 3.0
_LEAST_JOINTS, _LEAST_SHARE = 3, 0.8


@rule("additive_clips", "Clips that are differences")
def additive_clips(scene: Scene, context: Context) -> Iterator[Finding]:
    """Ask each joint that rests turned, or away from the one above, whether the keys lie around its rest or nothing."""
    for clip in scene.clips:
        context.check()
        told = [_around_nothing(scene, channel) for channel in clip.channels]
        telling = [one for one in told if one is not None]
        if sum(telling) < max(_LEAST_JOINTS, _LEAST_SHARE * len(telling)):
            continue
        yield Finding(
            rule="additive_clips",
            severity=Severity.WARNING,
            title=f"“{clip.name}” tells differences, not poses",
            detail="Its keys lie around no turn at all where the joints rest turned: it is meant to be added to "
            "another clip. Played by itself it folds the model up.",
            evidence=(
                Evidence("tracks around nothing", sum(telling)),
                Evidence("tracks that could tell", len(telling)),
            ),
            suggestion=SuggestedStep(
                "bake_additive", {"clips": [clip.name]}, f"Put “{clip.name}” on how the model rests"
            ),
        )


def _around_nothing(scene: Scene, channel: ClipChannel) -> bool | None:
    """Whether keys lie far nearer to nothing than to the rest; None where the two are much the same."""
    node = scene.nodes[channel.node]
    rows = rows_of(channel)
    keys = rows[1::3] if channel.interpolation == "CUBICSPLINE" else rows
    if channel.path == "rotation":
        rest, nothing = np.array([node.rotation]), np.array([[0.0, 0.0, 0.0, 1.0]])
        if float(angles_between_deg(rest, nothing)[0]) < _TELLING_DEG:
            return None
        unit = keys / np.maximum(np.linalg.norm(keys, axis=1, keepdims=True), 1e-12)
        to_rest = float(np.median(angles_between_deg(unit, np.repeat(rest, len(unit), axis=0))))
        to_nothing = float(np.median(angles_between_deg(unit, np.repeat(nothing, len(unit), axis=0))))
        return _NEARER * to_nothing < to_rest
    if channel.path == "translation":
        limb = float(np.linalg.norm(node.translation))
        if limb < 1e-3:
            return None
        to_rest = float(np.median(np.linalg.norm(keys - np.array(node.translation), axis=1)))
        return _NEARER * float(np.median(np.linalg.norm(keys, axis=1))) < to_rest
    return None

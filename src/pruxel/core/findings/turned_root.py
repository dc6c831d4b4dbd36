"""Clips that turn the whole figure out of how it rests: upside down, lying, backwards."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence, Finding, Severity, SuggestedStep
from pruxel.core.findings.registry import rule
from pruxel.core.fit.transfer import right_angles
from pruxel.core.geometry.euler import angles_between_deg, euler_deg, inverses, products
from pruxel.core.geometry.transforms import turns_of
from pruxel.core.scene.keys import end_of
from pruxel.core.scene.model import Clip, Scene
from pruxel.core.scene.motion_at import moments_of, worlds
from pruxel.core.scene.top_movers import main_mover
from pruxel.core.scene.walk import downward, world_from_local

_RATE = 10.0
_NEAR_DEG = 25.0  # how near to turns by right angles the figure stays
_LEAST_SHARE = 0.8  # of the clip


@rule("turned_root", "Clips whose figure is turned over")
def turned_root(scene: Scene, context: Context) -> Iterator[Finding]:
    """Compare how the main joint stands through each clip with how it rests: about one turn by right angles, always."""
    if not scene.skins:
        return
    for clip in scene.clips:
        context.check()
        found = _turned(scene, clip)
        if found is None:
            continue
        back, angle, low = found
        words = "upside down" if abs(angle - 180) < 1 and low < -0.5 else "lying" if abs(low) < 0.5 else "backwards"
        yield Finding(
            rule="turned_root",
            severity=Severity.NOTE if words != "upside down" else Severity.WARNING,
            title=f"“{clip.name}” plays {words}: turned by {angle:.0f}° all the time",
            detail="Its axes are others than the model's, or a change of axes was not carried into it. "
            "A figure that is meant to lie or to face away needs nothing.",
            evidence=(
                Evidence("turn against how it rests", round(angle, 1), "°"),
                Evidence("part of the clip in which it is", 100 * _LEAST_SHARE, "% at least"),
            ),
            suggestion=SuggestedStep(
                "turn_clips",
                {"clips": [clip.name], "turn": [round(float(a), 3) for a in back]},
                f"Turn “{clip.name}” as the model rests",
            ),
        )


def _turned(scene: Scene, clip: Clip) -> tuple[np.ndarray, float, float] | None:
    """The angles (3,) in degrees that turn it back, the turn's size, and the cosine of up against up."""
    node = main_mover(scene, clip)
    # A clip that moves an arm alone says nothing of the figure.
    joints = {joint for skin in scene.skins for joint in skin.joints}
    if node is None or 2 * sum(below in joints for below in downward(scene, [node])) < len(joints):
        return None
    seconds = moments_of(scene, end_of(clip), _RATE, 60)
    stands = turns_of(worlds(scene, clip, seconds)[:, node])[1]
    rest = turns_of(world_from_local(scene)[[node]])[1]
    gone = products(stands, inverses(rest))
    angles = right_angles()
    whole = np.tile(np.eye(4), (len(angles), 1, 1))
    whole[:, :3, :3] = np.stack(angles)
    turns = turns_of(whole)[1]
    away = np.stack([angles_between_deg(gone, np.tile(one, (len(gone), 1))) for one in turns], axis=1)
    near = away < _NEAR_DEG
    best = int(near.sum(axis=0).argmax())
    still = np.array([[0.0, 0.0, 0.0, 1.0]])
    size = float(angles_between_deg(turns[[best]], still)[0])
    if near[:, best].mean() < _LEAST_SHARE or size < 1:
        return None
    back = euler_deg(inverses(turns[[best]]))[0]
    return back, size, float(angles[best][1, 1])

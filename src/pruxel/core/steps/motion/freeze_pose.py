"""A moment of a clip as a thing that does not move: for printing, CAD and pictures."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.scene.beside import side_by_side
from pruxel.core.scene.keys import end_of
from pruxel.core.scene.looking import at_moment
from pruxel.core.scene.model import Scene
from pruxel.core.scene.pose import stiff
from pruxel.core.steps.choose_clips import chosen_clips
from pruxel.core.steps.references import ClipName, Seconds
from pruxel.core.steps.registry import Params, StepResult, step


class FreezePose(Params):
    """Which moment of which clip, or several in a row."""

    clip: ClipName = Field("", title="Clip", description="empty: as it rests")
    at: Seconds = Field(0.0, ge=0, le=86_400, title="At", description="the moment")
    count: int = Field(1, ge=1, le=48, title="In a row", description="moments side by side, from that one to the end")


@step(
    "freeze_pose",
    "Freeze a pose",
    "Makes a moment of a clip a thing that does not move, without skeleton and clips: for a statue, print or CAD.",
    FreezePose,
)
def freeze_pose(scene: Scene, params: FreezePose, context: Context) -> StepResult:
    """Every part where joints, shapes and clips hold it, its normals and tangents turned along.

    Raises `UsageError` for a clip that is not there.
    """
    context.check()
    if not params.clip:
        return StepResult(stiff(scene), "as it rests", (Evidence("moments", 1),))
    clip = scene.clips[chosen_clips(scene, [params.clip])[0]]
    moments = np.linspace(params.at, max(end_of(clip), params.at), params.count) if params.count > 1 else [params.at]
    frozen = []
    for seconds in moments:
        context.check()
        frozen.append(stiff(at_moment(scene, clip, float(seconds))))
    if len(frozen) == 1:
        return StepResult(frozen[0], f"“{clip.name}” at {params.at:.2f} s", (Evidence("moments", 1),))
    row = side_by_side(scene.name, [replace(one, name=f"{clip.name} {n}") for n, one in enumerate(frozen, 1)])
    before = [node.name for node in scene.nodes]
    removed = tuple(name for name in before if name not in {node.name for node in row.nodes})
    return StepResult(
        row, f"{counted(len(frozen), 'moment')} of “{clip.name}” in a row", (Evidence("moments", len(frozen)),),
        removed=removed,
    )  # fmt: skip

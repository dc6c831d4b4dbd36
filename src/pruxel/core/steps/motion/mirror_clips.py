"""Exchange left and right in clips."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.fit.mirror import mirrored_clip
from pruxel.core.scene.model import Clip, Scene
from pruxel.core.steps.choose_clips import Clips, chosen_clips
from pruxel.core.steps.new_names import new_name
from pruxel.core.steps.references import NameText
from pruxel.core.steps.registry import Params, StepResult, step


class MirrorClips(Params):
    """Which clips, across which axis, and what they are called."""

    clips: Clips = ()
    across: Literal["x", "y", "z"] = Field("x", title="From side to side", description="the axis from left to right")
    pattern: NameText = Field("{name} mirrored", min_length=1, title="Names", description="{name} the clip's")
    keep: bool = Field(default=True, title="Keep the others", description="beside what is made of them")


@step(
    "mirror_clips",
    "Mirror clips",
    "Exchanges left and right: a wave of the left hand becomes one of the right. Sides go by name, else by place.",
    MirrorClips,
)
def mirror_clips(scene: Scene, params: MirrorClips, context: Context) -> StepResult:
    """Add the mirrored clips, or put them in place of the others; raises `UsageError` for a model without joints."""
    context.check()
    chosen = chosen_clips(scene, params.clips)
    made, sides = dict[int, Clip](), 0
    for number in chosen:
        context.check()
        clip = scene.clips[number]
        if all(channel.path == "weights" for channel in clip.channels):
            continue
        mirrored, sides = mirrored_clip(scene, clip, "xyz".index(params.across))
        made[number] = replace(mirrored, name=new_name(clip.name, "", "", params.pattern, {}))
    if not made:
        raise UsageError(
            ErrorCode.USAGE, "these clips move no joint", field="clips", expected="clips that move joints",
            found=", ".join(scene.clips[n].name for n in chosen[:4]),
        )  # fmt: skip
    clips = list[Clip]()
    for number, clip in enumerate(scene.clips):
        clips += [clip] if params.keep or number not in made else []
        clips += [made[number]] if number in made else []
    return StepResult(
        replace(scene, clips=tuple(clips)),
        f"{counted(len(made), 'clip')} mirrored, {counted(sides // 2, 'pair')} of joints exchanged",
        (Evidence("clips mirrored", len(made)), Evidence("pairs of joints", sides // 2)),
    )  # fmt: skip

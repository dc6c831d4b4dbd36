"""Make clips faster or slower."""

from __future__ import annotations

from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.scene.keys import each_track, retimed
from pruxel.core.scene.model import Scene
from pruxel.core.steps.choose_clips import Clips, on_clips
from pruxel.core.steps.registry import Params, StepResult, step


class RetimeClips(Params):
    """Which clips, and how much faster."""

    clips: Clips = ()
    speed: float = Field(
        1.0, ge=0.001, le=1000, title="Speed", description="2 is twice as fast; frames taken for seconds want 30"
    )


@step(
    "retime_clips",
    "Change the speed of clips",
    "Makes clips faster or slower: by taste, or because a file counts time in another unit.",
    RetimeClips,
)
def retime_clips(scene: Scene, params: RetimeClips, context: Context) -> StepResult:
    """Divide all times by the speed; keys keep their values, splines their form."""
    context.check()
    done, count = on_clips(
        scene, params.clips,
        lambda clip: each_track(clip, lambda track: retimed(track, 1 / params.speed)),
    )  # fmt: skip
    return StepResult(done, f"{counted(count, 'clip')} {params.speed:g} times as fast", (Evidence("clips", count),))

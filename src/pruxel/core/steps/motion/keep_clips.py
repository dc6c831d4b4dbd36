"""Leave out clips that are not wanted."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.scene.model import Scene
from pruxel.core.steps.choose_clips import Clips, chosen_clips
from pruxel.core.steps.registry import Params, StepResult, step


class KeepClips(Params):
    """Which clips stay, or go."""

    clips: Clips = ()
    action: Literal["keep", "drop"] = Field("keep", title="They are", description="kept, or dropped")


@step("keep_clips", "Keep or drop clips", "Keeps only some clips, or drops them.", KeepClips)
def keep_clips(scene: Scene, params: KeepClips, context: Context) -> StepResult:
    """Nodes stay where they rest. Raises `UsageError` for a clip that is not there."""
    context.check()
    chosen = set(chosen_clips(scene, params.clips))
    kept = [n for n in range(len(scene.clips)) if (n in chosen) == (params.action == "keep")]
    gone = len(scene.clips) - len(kept)
    clips = tuple(scene.clips[n] for n in kept)
    return StepResult(
        replace(scene, clips=clips), f"{counted(gone, 'clip')} dropped, {len(kept):,} left",
        (Evidence("clips dropped", gone),),
    )  # fmt: skip

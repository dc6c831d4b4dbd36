"""Cut what stands before and after out of clips."""

from __future__ import annotations

from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.scene.keys import between, each_track, end_of
from pruxel.core.scene.model import Clip, Scene
from pruxel.core.steps.choose_clips import Clips, on_clips
from pruxel.core.steps.references import Seconds
from pruxel.core.steps.registry import Params, StepResult, step


class TrimClips(Params):
    """Which clips, and what of them stays."""

    clips: Clips = ()
    start: Seconds = Field(0.0, ge=0, le=86_400, title="From", description="what comes before goes")
    end: Seconds = Field(0.0, ge=0, le=86_400, title="To", description="what comes after goes; 0: nothing does")


@step(
    "trim_clips",
    "Trim clips",
    "Keeps a stretch of a clip; between keys it begins and ends just as it stands there.",
    TrimClips,
)
def trim_clips(scene: Scene, params: TrimClips, context: Context) -> StepResult:
    """Cut each chosen clip; what is kept begins at 0. Raises `UsageError` where nothing would be left."""
    context.check()
    gone = 0.0

    def cut(clip: Clip) -> Clip:
        nonlocal gone
        whole = end_of(clip)
        end = min(params.end or whole, whole)
        if end <= params.start and whole > 0:
            raise UsageError(
                ErrorCode.USAGE, f"nothing of “{clip.name}” would be left", field="start",
                expected=f"a start before {end:.3f} s", found=f"{params.start:.3f} s",
            )  # fmt: skip
        gone += whole - (end - params.start)
        return each_track(clip, lambda track: between(track, params.start, end))

    done, count = on_clips(scene, params.clips, cut)
    return StepResult(done, f"{counted(count, 'clip')} cut, {gone:.2f} s gone", (Evidence("cut off", gone, "s"),))

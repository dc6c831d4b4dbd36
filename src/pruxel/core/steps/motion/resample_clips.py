"""Lay the keys of clips out evenly."""

from __future__ import annotations

from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.scene.keys import each_track, end_of, resampled
from pruxel.core.scene.model import Clip, Scene
from pruxel.core.steps.choose_clips import Clips, on_clips
from pruxel.core.steps.registry import Params, StepResult, step

_MOST_KEYS = 5_000_000


class ResampleClips(Params):
    """Which clips, and how many keys a second."""

    clips: Clips = ()
    rate: float = Field(30.0, gt=0, le=1000, title="Keys a second")


@step(
    "resample_clips",
    "Resample clips",
    "Lays keys out at an even rate, splines as straight ways between them: for programs that want it so.",
    ResampleClips,
)
def resample_clips(scene: Scene, params: ResampleClips, context: Context) -> StepResult:
    """Evaluate each channel at the rate and at its end. Raises `UsageError` where that would be too many keys."""
    context.check()
    keys = 0

    def laid_out(clip: Clip) -> Clip:
        nonlocal keys
        end = end_of(clip)
        wanted = int(end * params.rate + 2) * max(len(clip.tracks), 1)
        keys += wanted
        if keys > _MOST_KEYS:
            raise UsageError(
                ErrorCode.USAGE, f"“{clip.name}” is too long to be laid out so", field="rate",
                expected=f"at most {_MOST_KEYS:,} keys", found=f"{keys:,}",
                hint="Choose fewer clips or a lower rate.",
            )  # fmt: skip
        context.check()
        return each_track(clip, lambda track: resampled(track, params.rate, end))

    done, count = on_clips(scene, params.clips, laid_out)
    made = sum(len(channel.times) for clip in done.clips for channel in clip.tracks)
    return StepResult(done, f"{counted(count, 'clip')} at {params.rate:g} keys a second", (Evidence("keys", made),))

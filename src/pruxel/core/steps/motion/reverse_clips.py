"""Turn clips round."""

from __future__ import annotations

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.scene.keys import each_track, end_of, turned_round
from pruxel.core.scene.model import Clip, Scene
from pruxel.core.steps.choose_clips import Clips, on_clips
from pruxel.core.steps.registry import Params, StepResult, step


class ReverseClips(Params):
    """Which clips."""

    clips: Clips = ()


@step("reverse_clips", "Reverse clips", "Plays clips backwards: sitting down from standing up.", ReverseClips)
def reverse_clips(scene: Scene, params: ReverseClips, context: Context) -> StepResult:
    """Each moment t of a clip of length l is what was at l - t."""
    context.check()

    def turned(clip: Clip) -> Clip:
        end = end_of(clip)
        return each_track(clip, lambda track: turned_round(track, end))

    done, count = on_clips(scene, params.clips, turned)
    return StepResult(done, f"{counted(count, 'clip')} turned round", (Evidence("clips", count),))

"""Find the stretch of a clip that goes round best, and keep that."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from pydantic import Field

from pruxel.core.base.arrays import DoubleArray
from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.scene.keys import between, each_track, end_of
from pruxel.core.scene.model import Clip, Scene
from pruxel.core.scene.motion_at import Movement, moments_of, moving
from pruxel.core.steps.choose_clips import Clips, chosen_clips
from pruxel.core.steps.references import Share
from pruxel.core.steps.registry import Params, StepResult, step

_RATE = 30.0
_MOST_MOMENTS = 240
_METRE_DEG = 100.0  # a centimetre astray counts as a degree


class CutToLoop(Params):
    """Which clips, and how much of them stays at least."""

    clips: Clips = ()
    least: Share = Field(50.0, title="At least", description="so much of the clip stays")


@step(
    "cut_to_loop",
    "Cut to the best loop",
    "Finds the stretch of a clip whose end is most like its beginning, in pose and in movement, and keeps that.",
    CutToLoop,
)
def cut_to_loop(scene: Scene, params: CutToLoop, context: Context) -> StepResult:
    """Compare each moment with each later one that is far enough; what is kept begins at 0."""
    context.check()
    clips, worst, gone, count = list(scene.clips), 0.0, 0.0, 0
    for number in chosen_clips(scene, params.clips):
        context.check()
        clip = scene.clips[number]
        start, end, jump = _best(scene, clip, params.least / 100)
        if end <= start:
            continue
        clips[number] = _stretch(clip, start, end)
        worst, gone, count = max(worst, jump), gone + end_of(clip) - (end - start), count + 1
    return StepResult(
        replace(scene, clips=tuple(clips)),
        f"{counted(count, 'clip')} cut, {gone:.2f} s gone: a jump of {worst:.1f}° at most is left",
        (Evidence("cut off", gone, "s"), Evidence("largest turn of the jump that is left", round(worst, 2), "°")),
    )


def _stretch(clip: Clip, start: float, end: float) -> Clip:
    return each_track(clip, lambda track: between(track, start, end))


def _best(scene: Scene, clip: Clip, least: float) -> tuple[float, float, float]:
    """From when to when the clip goes round best, and the largest turn in degrees that is left there."""
    whole = end_of(clip)
    seconds = moments_of(scene, whole, _RATE, _MOST_MOMENTS)
    movement = moving(scene, clip, seconds)
    if len(seconds) < 4 or not len(movement.nodes):
        return 0.0, whole, 0.0
    turned, apart = _apart(movement)
    # Where it goes on as it came counts too: the moments after both are compared as well.
    cost = turned + _METRE_DEG * apart
    cost[:-1, :-1] += cost[1:, 1:]
    cost[-1, :], cost[:, -1] = cost[-1, :] * 2, cost[:, -1] * 2
    first, last = np.meshgrid(np.arange(len(seconds)), np.arange(len(seconds)), indexing="ij")
    short = (last - first) < least * (len(seconds) - 1)
    # Of equals the longest.
    cost = np.where(short, np.inf, cost - 1e-6 * (last - first))
    a, b = np.unravel_index(int(cost.argmin()), cost.shape)
    return float(seconds[a]), float(seconds[b]), float(turned[a, b])


def _apart(movement: Movement) -> tuple[DoubleArray, DoubleArray]:
    """(m, m) the largest turn in degrees, and way in metres, from each moment to each other."""
    m = len(movement.seconds)
    turned, apart = np.zeros((m, m)), np.zeros((m, m))
    for n in range(len(movement.nodes)):
        cosine = np.clip(np.abs(movement.turns[:, n] @ movement.turns[:, n].T), 0, 1)
        turned = np.maximum(turned, np.degrees(2 * np.arccos(cosine)))
        places = movement.places[:, n]
        apart = np.maximum(apart, np.linalg.norm(places[:, None] - places[None], axis=2))
    return turned, apart

"""Cut clips into several: at moments, or where everything stands still."""

from __future__ import annotations

import itertools
from dataclasses import replace

import numpy as np
from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.scene.keys import between, each_track, end_of
from pruxel.core.scene.model import Clip, Scene
from pruxel.core.scene.motion_at import moments_of, moving
from pruxel.core.steps.choose_clips import Clips, chosen_clips
from pruxel.core.steps.new_names import new_name, numbered
from pruxel.core.steps.references import NameText, Seconds
from pruxel.core.steps.registry import Params, StepResult, step

_RATE = 30.0
_MOST_MOMENTS = 20_000
_LEAST = 0.05  # seconds that a piece has at least


class CutClips(Params):
    """Which clips, where, and what the pieces are called."""

    clips: Clips = ()
    at: tuple[Seconds, ...] = Field((), max_length=1000, title="At", description="the moments at which one ends")
    still: Seconds = Field(
        0.5, ge=0, le=60, title="Where it stands still for", description="without moments; what stands still goes"
    )
    pattern: NameText = Field("{name} {number}", title="Names", description="{name} the clip's, {number} counts")


@step(
    "cut_clips",
    "Cut clips into several",
    "Makes several clips of one that holds many: at moments that are given, or wherever everything stands still.",
    CutClips,
)
def cut_clips(scene: Scene, params: CutClips, context: Context) -> StepResult:
    """Put the pieces in place of each chosen clip; raises `UsageError` for moments outside of all of them."""
    context.check()
    chosen = set(chosen_clips(scene, params.clips))
    longest = max(end_of(scene.clips[k]) for k in chosen)
    if params.at and min(params.at) >= longest:
        raise UsageError(
            ErrorCode.USAGE, "no clip is so long", field="at", expected=f"moments before {longest:.3f} s",
            found=f"{min(params.at):.3f} s",
        )  # fmt: skip
    made: list[Clip] = []
    cut = 0
    for number, clip in enumerate(scene.clips):
        context.check()
        stretches = _stretches(scene, clip, params) if number in chosen else []
        if len(stretches) < 2:
            made.append(clip)
            continue
        cut += len(stretches)
        made += [_piece(clip, params.pattern, n, stretches) for n in range(len(stretches))]
    return StepResult(
        replace(scene, clips=tuple(made)), f"{counted(cut, 'clip')} made of {counted(len(chosen), 'clip')}",
        (Evidence("pieces", cut), Evidence("clips", len(made))),
    )  # fmt: skip


def _piece(clip: Clip, pattern: str, number: int, stretches: list[tuple[float, float]]) -> Clip:
    start, end = stretches[number]
    name = new_name(clip.name, "", "", pattern, {"number": numbered(number + 1, len(stretches))})
    return each_track(replace(clip, name=name), lambda track: between(track, start, end))


def _stretches(scene: Scene, clip: Clip, params: CutClips) -> list[tuple[float, float]]:
    end = end_of(clip)
    if params.at:
        edges = [0.0, *sorted({moment for moment in params.at if _LEAST < moment < end - _LEAST}), end]
        return list(itertools.pairwise(edges))
    return _moving_stretches(scene, clip, end, params.still) if params.still else []


def _moving_stretches(scene: Scene, clip: Clip, end: float, still: float) -> list[tuple[float, float]]:
    """From when to when anything moves, apart where nothing does for so long."""
    seconds = moments_of(scene, end, _RATE, _MOST_MOMENTS)
    moves = moving(scene, clip, seconds).moves()
    stretches: list[tuple[float, float]] = []
    for n in np.flatnonzero(moves):
        start, stop = float(seconds[n]), float(seconds[n + 1])
        if stretches and start - stretches[-1][1] < still:
            stretches[-1] = (stretches[-1][0], stop)
        else:
            stretches.append((start, stop))
    return [one for one in stretches if one[1] - one[0] >= _LEAST]

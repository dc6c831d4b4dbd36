"""Make clips end where they begin, so that they go round without a jump."""

from __future__ import annotations

import numpy as np
from pydantic import Field

from pruxel.core.base.arrays import DoubleArray
from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.geometry.euler import slerps
from pruxel.core.scene.keys import at_times, each_track, end_of, gently, rows_of, straight, with_keys
from pruxel.core.scene.model import Clip, Scene, Track
from pruxel.core.scene.motion_at import moving
from pruxel.core.steps.choose_clips import Clips, chosen_clips, on_clips
from pruxel.core.steps.references import Seconds
from pruxel.core.steps.registry import Params, StepResult, step

_RATE = 60.0  # keys a second that the blended stretch of a spline is laid out with


class CloseLoop(Params):
    """Which clips, and over how long they come back to their beginning."""

    clips: Clips = ()
    over: Seconds = Field(0.2, ge=0, le=60, title="Over", description="how long before its end a clip begins to turn")


@step(
    "close_loop",
    "Close the loop of clips",
    "Leads the end of a clip to where it begins, gently over a stretch, so that it goes round without a jump.",
    CloseLoop,
)
def close_loop(scene: Scene, params: CloseLoop, context: Context) -> StepResult:
    """Blend the last stretch of every channel into its first value; what is before that stays."""
    context.check()
    jumps = [_jump(scene, scene.clips[number]) for number in chosen_clips(scene, params.clips)]

    def closed(clip: Clip) -> Clip:
        end = end_of(clip)
        over = min(params.over, end / 2)
        return each_track(clip, lambda track: _led_back(track, end, over))

    done, count = on_clips(scene, params.clips, closed)
    turned, gone = (max(values) for values in zip(*jumps, strict=True))
    return StepResult(
        done, f"{counted(count, 'clip')} closed: a jump of {turned:.1f}° and {100 * gone:.1f} cm is gone",
        (Evidence("largest turn of the jump", turned, "°"), Evidence("largest way of the jump", 100 * gone, "cm")),
    )  # fmt: skip


def _jump(scene: Scene, clip: Clip) -> tuple[float, float]:
    return moving(scene, clip, np.array([0.0, end_of(clip)])).apart(0, 1)


def _led_back(channel: Track, end: float, over: float) -> Track:
    """The channel with its last stretch drawn to its value at 0, by a share that sets out and arrives gently."""
    times = channel.times.astype(np.float64)
    if len(times) == 1:
        return channel
    first = at_times(channel, np.zeros(1))
    if channel.interpolation == "STEP":
        kept = times < end - 1e-6
        rows = rows_of(channel)
        return with_keys(channel, np.append(times[kept], end), np.concatenate([rows[kept], first]))
    start = end - over
    spline = channel.interpolation == "CUBICSPLINE"
    inner = np.arange(0.0, end, 1 / _RATE) if spline else times[times < end - 1e-6]
    wanted = np.unique(np.concatenate([inner, np.linspace(start, end, max(round(over * 30), 1) + 1), [0.0, end]]))
    rows = at_times(channel, wanted)
    share = gently((wanted - start) / over) if over > 0 else (wanted >= end).astype(float)
    led = with_keys(channel, wanted, _towards(rows, first, share, turn=channel.path == "rotation"))
    return straight(led)


def _towards(rows: DoubleArray, first: DoubleArray, share: DoubleArray, *, turn: bool) -> DoubleArray:
    goal = np.broadcast_to(first, rows.shape)
    if turn:
        # The very first turn at the end, and not its negative.
        found = slerps(rows, goal, share)
        found[share == 0] = rows[share == 0]
        return found
    return rows * (1 - share[:, None]) + goal * share[:, None]

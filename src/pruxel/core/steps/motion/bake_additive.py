"""Put clips that tell differences on what they differ from."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.geometry.euler import products
from pruxel.core.scene.keys import at_times, resampled, rows_of, with_keys
from pruxel.core.scene.model import Clip, ClipChannel, Scene
from pruxel.core.scene.motion_at import at_rest
from pruxel.core.steps.choose_clips import Clips, chosen_clips
from pruxel.core.steps.references import ClipName, Seconds
from pruxel.core.steps.registry import Params, StepResult, step

_RATE = 60.0


class BakeAdditive(Params):
    """Which clips, and what they are added to."""

    clips: Clips = ()
    base: ClipName = Field("", title="On", description="the clip whose pose they are added to; empty: as it rests")
    at: Seconds = Field(0.0, ge=0, le=86_400, title="At", description="the moment of that clip")


@step(
    "bake_additive",
    "Put additive clips on a base",
    "Makes clips that tell only how joints differ from a pose into clips that play by themselves.",
    BakeAdditive,
)
def bake_additive(scene: Scene, params: BakeAdditive, context: Context) -> StepResult:
    """Turn by what the base turns and then by what the clip adds; places are summed, sizes multiplied."""
    context.check()
    chosen = chosen_clips(scene, params.clips)
    base = scene.clips[chosen_clips(scene, [params.base])[0]] if params.base else None
    clips, count = list(scene.clips), 0
    for number in chosen:
        context.check()
        if base is scene.clips[number]:
            continue
        clips[number] = _on(scene, scene.clips[number], base, params.at)
        count += 1
    where = f"“{params.base}” at {params.at:.2f} s" if params.base else "how it rests"
    return StepResult(
        replace(scene, clips=tuple(clips)), f"{counted(count, 'clip')} put on {where}", (Evidence("clips", count),)
    )


def _on(scene: Scene, clip: Clip, base: Clip | None, at: float) -> Clip:
    below = {(c.node, c.path): c for c in (base.channels if base is not None else ())}
    made = [_added(scene, c, below.get((c.node, c.path)), at) for c in clip.channels]
    keyed = {(c.node, c.path) for c in clip.channels}
    # What the clip leaves alone stands as the base has it.
    held = [
        with_keys(replace(c, interpolation="LINEAR"), np.zeros(1), at_times(c, np.array([at])))
        for key, c in below.items()
        if key not in keyed
    ]
    return replace(clip, channels=(*made, *held))


def _added(scene: Scene, channel: ClipChannel, below: ClipChannel | None, at: float) -> ClipChannel:
    plain = channel
    if channel.interpolation == "CUBICSPLINE":
        plain = resampled(channel, _RATE, float(channel.times[-1]))
    rows = rows_of(plain)
    stands = (
        at_times(below, np.array([at]))
        if below is not None
        else at_rest(scene, channel.node, channel.path, rows.shape[1])
    )
    if channel.path == "rotation":
        rows = products(np.broadcast_to(stands, rows.shape), rows)
    elif channel.path == "scale":
        # A size that is told as a difference lies around nothing, one told as a factor around one.
        rows = stands * (rows if float(np.abs(np.median(rows, axis=0)).max()) > 0.5 else 1 + rows)
    else:
        rows = stands + rows
    return with_keys(plain, plain.times.astype(np.float64), rows)

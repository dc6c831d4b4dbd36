"""Leave out the keys of clips that nobody would miss."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Annotated

import numpy as np
from pydantic import Field

from pruxel.core.base.arrays import DoubleArray
from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.geometry.reducing import needed_keys, needed_turns
from pruxel.core.scene.keys import end_of, resampled, rows_of, with_keys
from pruxel.core.scene.model import Clip, ClipChannel, Scene
from pruxel.core.scene.motion import moments
from pruxel.core.scene.reach import deepest_chain, reaches, shape_moves, sizes_above
from pruxel.core.scene.surface_motion import apart_at_surface
from pruxel.core.steps.choose_clips import Clips, chosen_clips
from pruxel.core.steps.references import Unit
from pruxel.core.steps.registry import Params, StepResult, step

_RATE = 60.0  # keys a second that splines are laid out with first
_LOOKS = 120  # moments at which the surface is compared
_TRIES = 5


class ReduceKeys(Params):
    """Which clips, and how far the surface may go astray."""

    clips: Clips = ()
    within: Annotated[float, Unit("mm")] = Field(
        0.5, ge=0, le=1000, title="Within", description="no vertex is farther from where it was"
    )


@step(
    "reduce_keys",
    "Leave keys out",
    "Leaves out keys between which nothing would be seen to move otherwise; how far anything does is measured.",
    ReduceKeys,
)
def reduce_keys(scene: Scene, params: ReduceKeys, context: Context) -> StepResult:
    """Reduce every channel of the chosen clips, by how far it moves the surface; the last key stays."""
    context.check()
    clips, before, after, worst = list(scene.clips), 0, 0, 0.0
    chosen = chosen_clips(scene, params.clips)
    bounds = _Bounds(reaches(scene), sizes_above(scene), deepest_chain(scene), shape_moves(scene))
    for number, part in context.each(chosen, lambda k: scene.clips[k].name):
        part.check()
        made, apart = _reduced(scene, scene.clips[number], params.within / 1000, bounds)
        before += sum(len(channel.times) for channel in scene.clips[number].channels)
        after += sum(len(channel.times) for channel in made.channels)
        clips[number], worst = made, max(worst, apart)
    return StepResult(
        replace(scene, clips=tuple(clips)),
        f"{counted(len(chosen), 'clip')}: {after:,} keys of {before:,}, nothing farther off than {1000 * worst:.3f} mm",
        (
            Evidence("keys before", before),
            Evidence("keys now", after),
            Evidence("farthest from where it was", round(1000 * worst, 4), "mm"),
        ),
    )  # fmt: skip


@dataclass(frozen=True, eq=False)
class _Bounds:
    """How far a node reaches in metres (n,), how large its parent makes its places (n,), how deep the tree moves.

    `shapes`: what each shape of a part moves at most, in metres.
    """

    far: DoubleArray
    sizes: DoubleArray
    deep: int
    shapes: Mapping[int, DoubleArray]


def _reduced(scene: Scene, clip: Clip, within: float, bounds: _Bounds) -> tuple[Clip, float]:
    """The clip with fewer keys, and how far in metres it is from what it was.

    What channels may stray is told from below, as if all strayed the same way; where the surface shows room, again.
    """
    times = moments(clip.channels)
    looked = np.unique(np.append(times[:: max(1, len(times) // _LOOKS)], end_of(clip)))
    best, apart, share = clip, 0.0, 1.0
    for _ in range(_TRIES):
        made = replace(clip, channels=tuple(_fewer(channel, within * share, bounds) for channel in clip.channels))
        strays = apart_at_surface(scene, clip, scene, made, looked)
        if strays <= within:
            best, apart = made, strays
            if strays > 0.6 * within or within == 0:
                break
            share *= min(0.8 * within / max(strays, 1e-12), 8.0)
        else:
            share *= 0.5 if best is clip else 0.75
    return best, apart


def _fewer(channel: ClipChannel, within: float, bounds: _Bounds) -> ClipChannel:
    spline = channel.interpolation == "CUBICSPLINE"
    plain = resampled(channel, _RATE, float(channel.times[-1])) if spline else channel
    times, rows = plain.times.astype(np.float64), rows_of(plain)
    most = within / bounds.deep
    if channel.interpolation == "STEP":
        # What a step repeats goes; nothing else can without a jump at another time.
        keep = np.append(True, np.abs(np.diff(rows, axis=0)).max(axis=1) > 0) if len(times) > 1 else np.ones(1, bool)
        keep[-1] = True
    elif channel.path == "rotation":
        keep = needed_turns(times, rows, min(most / max(bounds.far[channel.node], 1e-6), np.pi))
    else:
        keep = needed_keys(times, rows, _room(channel, rows.shape[1], most, bounds))
    fewer = with_keys(plain, times[keep], rows[keep])
    # A spline of few keys is not made more.
    return channel if spline and len(fewer.times) > len(channel.times) else fewer


def _room(channel: ClipChannel, width: int, most: float, bounds: _Bounds) -> DoubleArray:
    """(width,) how far each number of a channel may stray."""
    if channel.path == "weights":
        moved = bounds.shapes.get(channel.node, np.zeros(0))
        by_shape = np.pad(moved[:width], (0, max(width - len(moved), 0)))
        return most / np.maximum(by_shape * width, 1e-6)
    reach = bounds.far[channel.node] if channel.path == "scale" else bounds.sizes[channel.node]
    return np.full(width, most / max(reach, 1e-6) / np.sqrt(3))

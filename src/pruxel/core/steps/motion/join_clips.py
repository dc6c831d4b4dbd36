"""Join clips: one after the other, each led over into the next."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np
from pydantic import Field

from pruxel.core.base.arrays import DoubleArray
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.geometry.euler import slerps
from pruxel.core.scene.keys import at_times, end_of, gently, laid, resampled, rows_of, with_keys
from pruxel.core.scene.model import ChannelPath, Clip, ClipChannel, Interpolation, Scene, Track
from pruxel.core.scene.motion_at import at_rest
from pruxel.core.steps.choose_clips import chosen_clips
from pruxel.core.steps.references import ClipName, NameText, Seconds
from pruxel.core.steps.registry import Params, StepResult, step

_RATE = 30.0  # keys a second where two are mixed, and of splines


class JoinClips(Params):
    """Which clips in which order, what they make, and how one goes over into the next."""

    clips: tuple[ClipName, ...] = Field((), title="Clips", description="in their order; none: all of them")
    name: NameText = Field("joined", min_length=1, title="Name", description="of what they make together")
    over: Seconds = Field(0.2, ge=0, le=60, title="Over", description="how long one goes over into the next")
    keep: bool = Field(default=False, title="Keep the single ones", description="beside what they make")


@step(
    "join_clips",
    "Join clips",
    "Makes one clip of several, one after the other, each led over gently into the next.",
    JoinClips,
)
def join_clips(scene: Scene, params: JoinClips, context: Context) -> StepResult:
    """Lay the clips behind each other; what one of them leaves alone is as it rests meanwhile.

    Raises `UsageError` for fewer than two clips.
    """
    context.check()
    numbers = [n for name in params.clips for n in chosen_clips(scene, [name])] or chosen_clips(scene, ())
    order = list(dict.fromkeys(numbers))
    if len(order) < 2:
        raise UsageError(
            ErrorCode.USAGE, "there is nothing to join", field="clips", expected="two clips or more",
            found=counted(len(order), "clip"),
        )  # fmt: skip
    pieces = [scene.clips[n] for n in order]
    starts = _starts(pieces, params.over)
    targets = list(dict.fromkeys((c.node, c.path) for clip in pieces for c in clip.channels))
    channels = []
    for node, path in targets:
        context.check()
        channels.append(_laid(scene, node, path, pieces, starts))
    joined = Clip(
        params.name, tuple(channels), origin=pieces[0].origin,
        shown=_behind([clip.shown for clip in pieces], starts, lambda one: one.node),
        looks=_behind([clip.looks for clip in pieces], starts, lambda one: (one.material, one.path)),
    )  # fmt: skip
    left = [clip for n, clip in enumerate(scene.clips) if params.keep or n not in order]
    length = end_of(joined)
    return StepResult(
        replace(scene, clips=(*left, joined)), f"{counted(len(pieces), 'clip')} make “{params.name}”, {length:.2f} s",
        (Evidence("clips joined", len(pieces)), Evidence("length", round(length, 3), "s")),
    )  # fmt: skip


def _behind(
    pieces: Sequence[tuple[Track, ...]], starts: list[float], what: Callable[[Track], object]
) -> tuple[Track, ...]:
    """What is shown and how it looks, piece behind piece: where one says nothing, what was said last holds."""
    found: dict[object, list[Track]] = {}
    for own, start in zip(pieces, starts, strict=True):
        for track in own:
            bent = track.interpolation == "CUBICSPLINE"
            plain = resampled(track, _RATE, float(track.times[-1])) if bent else track
            moved = with_keys(plain, plain.times.astype(np.float64) + start, rows_of(plain))
            found.setdefault(what(track), []).append(moved)
    return tuple(_one(tracks) for tracks in found.values())


def _one(tracks: list[Track]) -> Track:
    times = np.concatenate([track.times.astype(np.float64) for track in tracks])
    rows = np.concatenate([rows_of(track) for track in tracks])
    order = np.argsort(times, kind="stable")
    return with_keys(tracks[-1], times[order], rows[order])


def _starts(pieces: list[Clip], over: float) -> list[float]:
    """When each begins: `over` before the one before it ends, but no sooner than half of either allows."""
    starts = [0.0]
    for before, after in itertools.pairwise(pieces):
        mixed = min(over, end_of(before) / 2, end_of(after) / 2)
        starts.append(starts[-1] + end_of(before) - mixed)
    return starts


def _laid(scene: Scene, node: int, path: ChannelPath, pieces: list[Clip], starts: list[float]) -> ClipChannel:
    """One property through all pieces."""
    own = [next((c for c in clip.channels if (c.node, c.path) == (node, path)), None) for clip in pieces]
    width = next(at_times(c, np.zeros(1)).shape[1] for c in own if c is not None)
    rest = at_rest(scene, node, path, width)
    times = _moments(pieces, own, starts)
    rows = np.tile(rest, (len(times), 1))
    for number, (channel, start) in enumerate(zip(own, starts, strict=True)):
        inside = times >= start - 1e-9 if number else np.ones(len(times), bool)
        values = np.tile(rest, (int(inside.sum()), 1)) if channel is None else at_times(channel, times[inside] - start)
        ends = starts[number - 1] + end_of(pieces[number - 1]) if number else start
        share = gently((times[inside] - start) / (ends - start)) if ends > start else np.ones(int(inside.sum()))
        rows[inside] = _mixed(rows[inside], values, share, turn=path == "rotation")
    stepped = [c.interpolation == "STEP" for c in own if c is not None]
    how: Interpolation = "STEP" if all(stepped) else "LINEAR"
    return replace(laid(node, path, times, rows), interpolation=how)


def _moments(pieces: list[Clip], own: list[ClipChannel | None], starts: list[float]) -> DoubleArray:
    """Keys where the pieces have them, more where two are mixed or a spline bends."""
    found = [np.array(starts), np.array([starts[-1] + end_of(pieces[-1])])]
    for number, (clip, channel, start) in enumerate(zip(pieces, own, starts, strict=True)):
        end = start + end_of(clip)
        if channel is not None:
            found.append(start + channel.times.astype(np.float64))
            if channel.interpolation == "CUBICSPLINE":
                found.append(np.arange(start, end, 1 / _RATE))
        if number + 1 < len(starts):
            found.append(np.append(np.arange(starts[number + 1], end, 1 / _RATE), end))
    return np.unique(np.round(np.concatenate(found), 6))


def _mixed(before: DoubleArray, after: DoubleArray, share: DoubleArray, *, turn: bool) -> DoubleArray:
    return slerps(before, after, share) if turn else before * (1 - share[:, None]) + after * share[:, None]

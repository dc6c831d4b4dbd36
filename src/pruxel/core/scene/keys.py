"""Keys of clips as arrays: their values at any times, and cut, turned round or laid out anew.

Interpolation is that of glTF 2.0, appendix C; keys are held before the first and after the last.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Protocol

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray, FloatArray, frozen
from pruxel.core.geometry.euler import on_one_side, slerps
from pruxel.core.geometry.mixing import between_keys
from pruxel.core.scene.model import ChannelPath, Clip, ClipChannel, LookChannel, ShownChannel, Track

_SAME_TIME = 1e-6


class Change(Protocol):
    """What makes another track of a track, of whatever kind."""

    def __call__(self, track: Track, /) -> Track:
        """The changed track."""


def by_kind(
    tracks: Sequence[ClipChannel | ShownChannel | LookChannel],
) -> tuple[tuple[ClipChannel, ...], tuple[ShownChannel, ...], tuple[LookChannel, ...]]:
    """Tracks as a clip holds them: what moves nodes, when they are to be seen, how materials look."""
    return (
        tuple(one for one in tracks if isinstance(one, ClipChannel)),
        tuple(one for one in tracks if isinstance(one, ShownChannel)),
        tuple(one for one in tracks if isinstance(one, LookChannel)),
    )


def rows_of(channel: Track) -> DoubleArray:
    """The (k, width) values, however the file groups the numbers; (3k, width) for splines.

    Turns are of unit length but in splines, whose tangents go with the length that they have.
    """
    count = len(channel.times) * (3 if channel.interpolation == "CUBICSPLINE" else 1)
    rows = channel.values.reshape(count, -1).astype(np.float64)
    return _unit(rows) if channel.path == "rotation" and channel.interpolation != "CUBICSPLINE" else rows


def key_values(channel: Track) -> DoubleArray:
    """The (k, width) values at the keys, without the tangents of splines."""
    rows = rows_of(channel)
    return rows[1::3] if channel.interpolation == "CUBICSPLINE" else rows


def _unit(turns: DoubleArray) -> DoubleArray:
    length = np.linalg.norm(turns, axis=1, keepdims=True)
    return np.where(length > 0, turns / np.where(length > 0, length, 1), (0.0, 0.0, 0.0, 1.0))


def with_keys(channel: Track, times: DoubleArray, rows: DoubleArray) -> Track:
    """The channel with other keys: times (k,) seconds, rows (k, width), or (3k, width) for splines.

    Of keys whose times are one when they are written, the last stays.
    """
    written = times.astype(np.float32)
    kept = np.append(np.diff(written) > 0, True)
    grouped = rows.reshape(len(times), -1)[kept]
    return replace(channel, times=_floats(written[kept]), values=_floats(grouped.reshape(-1, rows.shape[1])))


def _floats(values: DoubleArray) -> FloatArray:
    found = np.ascontiguousarray(values, np.float32)
    frozen(found)
    return found


def laid(node: int, path: ChannelPath, times: DoubleArray, rows: DoubleArray) -> ClipChannel:
    """A channel of straight ways between keys: times (k,) seconds, rows (k, width)."""
    empty = np.zeros(0, np.float32)
    return with_keys(ClipChannel(node, path, empty, empty), times, rows)


def with_turns(clip: Clip, times: DoubleArray, turns: Mapping[int, DoubleArray]) -> Clip:
    """The clip in which some nodes turn otherwise: by (k, 4) quaternions at times (k,)."""
    others = [c for c in clip.channels if c.node not in turns or c.path != "rotation"]
    made = [laid(node, "rotation", times, on_one_side(rows)) for node, rows in turns.items()]
    return replace(clip, channels=(*others, *made))


def gently(share: DoubleArray) -> DoubleArray:
    """Shares, 0 to 1 of a way, that set out and arrive slowly."""
    share = np.clip(share, 0, 1)
    return share * share * (3 - 2 * share)


def at_times(channel: Track, seconds: DoubleArray) -> DoubleArray:
    """The (m, width) values at times (m,); quaternions xyzw of unit length, met along the shorter arc."""
    return _at(channel, seconds)[0]


def all_at_times(channels: Sequence[ClipChannel], seconds: DoubleArray) -> list[DoubleArray]:
    """What `at_times` gives for each; channels with straight ways between keys at the same times go together."""
    found: list[DoubleArray | None] = [None] * len(channels)
    alike: dict[tuple[bool, int, bytes], list[int]] = {}
    told: dict[int, bytes] = {}
    for n, channel in enumerate(channels):
        if channel.interpolation == "LINEAR":
            times = told.get(id(channel.times))
            if times is None:
                times = told[id(channel.times)] = channel.times.tobytes()
            alike.setdefault((channel.path == "rotation", channel.values.size, times), []).append(n)
        else:
            found[n] = at_times(channel, seconds)
    for (turn, _, _), numbers in alike.items():
        keys = channels[numbers[0]].times.astype(np.float64)
        before, after, share, _ = _around(keys, seconds)
        rows = np.concatenate([channels[n].values.reshape(1, len(keys), -1) for n in numbers])
        for n, values in zip(numbers, between_keys(rows, before, after, share, turn=turn), strict=True):
            found[n] = values
    return [values for values in found if values is not None]


def _around(times: DoubleArray, seconds: DoubleArray) -> tuple[AnyArray, AnyArray, DoubleArray, DoubleArray]:
    """The numbers of the keys around each moment, how far it is between them, and how far they are apart."""
    before = np.clip(np.searchsorted(times, seconds, "right") - 1, 0, len(times) - 1)
    after = np.minimum(before + 1, len(times) - 1)
    span = times[after] - times[before]
    share = np.where(span > 0, (seconds - times[before]) / np.where(span > 0, span, 1), 0.0).clip(0, 1)
    return before, after, share, span


def _at(channel: Track, seconds: DoubleArray) -> tuple[DoubleArray, DoubleArray]:
    """Values, and how they change in a second, which only splines need."""
    times, rows = channel.times.astype(np.float64), rows_of(channel)
    spline = channel.interpolation == "CUBICSPLINE"
    keys = rows[1::3] if spline else rows
    before, after, share, span = _around(times, seconds)
    if channel.interpolation == "STEP":
        return keys[before], np.zeros_like(keys[before])
    if not spline:
        if channel.path == "rotation":
            return slerps(keys[before], keys[after], share), np.zeros((len(share), 4))
        s = share[:, None]
        return keys[before] * (1 - s) + keys[after] * s, np.zeros((len(share), keys.shape[1]))
    s, wide = share[:, None], span[:, None]
    leave, arrive = wide * rows[3 * before + 2], wide * rows[3 * after]
    a, b = keys[before], keys[after]
    value = (
        (2 * s**3 - 3 * s**2 + 1) * a
        + (s**3 - 2 * s**2 + s) * leave
        + (3 * s**2 - 2 * s**3) * b
        + (s**3 - s**2) * arrive
    )
    slope = (
        (6 * s**2 - 6 * s) * a + (3 * s**2 - 4 * s + 1) * leave + (6 * s - 6 * s**2) * b + (3 * s**2 - 2 * s) * arrive
    ) / np.where(wide > 0, wide, 1)
    outside = (seconds < times[0]) | (seconds > times[-1])
    slope[outside] = 0.0
    return (_unit(value) if channel.path == "rotation" else value), slope


def _raw_at(channel: Track, seconds: DoubleArray) -> tuple[DoubleArray, DoubleArray]:
    """Values and slopes of a spline before its quaternions are made of unit length: what its keys are."""
    if isinstance(channel, ClipChannel) and channel.path == "rotation":
        return _at(replace(channel, path="translation"), seconds)
    return _at(channel, seconds)


def between(channel: Track, start: float, end: float) -> Track:
    """What the channel is from `start` to `end`, from 0 on; the values at both become keys where they are none."""
    times = channel.times.astype(np.float64)
    inner = times[(times > start + _SAME_TIME) & (times < end - _SAME_TIME)]
    wanted = np.concatenate([[start], inner, [end] if end > start + _SAME_TIME else []])
    if channel.interpolation == "CUBICSPLINE":
        values, slopes = _raw_at(channel, wanted)
        rows = np.stack([slopes, values, slopes], axis=1)
        # A key may break: what arrives and what leaves are its own. Beyond the first and the last nothing moves.
        whole = channel.values.reshape(len(times), 3, -1).astype(np.float64)
        whole[0, 0] = whole[-1, 2] = 0
        nearest = np.minimum(np.searchsorted(times, wanted - _SAME_TIME), len(times) - 1)
        on_key = np.abs(times[nearest] - wanted) <= _SAME_TIME
        rows[on_key] = whole[nearest[on_key]]
        return with_keys(channel, wanted - start, rows.reshape(3 * len(wanted), -1))
    return with_keys(channel, wanted - start, at_times(channel, wanted))


def resampled(channel: Track, rate: float, end: float) -> Track:
    """The channel with `rate` keys a second from 0 to `end`, straight ways between them; steps stay steps."""
    times = np.arange(0.0, end + 0.5 / rate, 1.0 / rate)
    if end - times[-1] > _SAME_TIME:
        times = np.append(times, end)
    times = np.minimum(times, end) if end > 0 else times[:1]
    times = np.unique(times)
    return straight(with_keys(channel, times, at_times(channel, times)))


def straight(channel: Track) -> Track:
    """The channel whose keys are met by straight ways where they were met by splines."""
    if channel.interpolation != "CUBICSPLINE" or isinstance(channel, ShownChannel):
        return channel
    return replace(channel, interpolation="LINEAR")


def each_track(clip: Clip, change: Change) -> Clip:
    """The clip with all of its tracks changed alike: what moves, what is shown, how things look."""
    return replace(
        clip,
        channels=tuple(change(one) for one in clip.channels),
        shown=tuple(change(one) for one in clip.shown),
        looks=tuple(change(one) for one in clip.looks),
    )


def retimed(channel: Track, factor: float) -> Track:
    """The channel `factor` times as long; slopes of splines go along."""
    rows = rows_of(channel)
    if channel.interpolation == "CUBICSPLINE":
        rows = channel.values.reshape(3 * len(channel.times), -1).astype(np.float64)
        rows[0::3] /= factor
        rows[2::3] /= factor
    return with_keys(channel, channel.times.astype(np.float64) * factor, rows)


def turned_round(channel: Track, end: float) -> Track:
    """The channel backwards, in a clip that ends at `end`."""
    times, rows = end - channel.times.astype(np.float64)[::-1], rows_of(channel)
    if channel.interpolation == "CUBICSPLINE":
        keys = channel.values.reshape(len(channel.times), 3, -1).astype(np.float64)[::-1, ::-1].copy()
        keys[:, [0, 2]] *= -1
        return with_keys(channel, times, keys.reshape(3 * len(times), -1))
    if channel.interpolation == "STEP" and len(times) > 1:
        # What was held until a key is held from it on.
        return with_keys(channel, times, np.concatenate([rows[:-1][::-1], rows[:1]]))
    return with_keys(channel, times, rows[::-1])


def end_of(clip: Clip) -> float:
    """Seconds of the last key."""
    return max((float(track.times[-1]) for track in clip.tracks if len(track.times)), default=0.0)

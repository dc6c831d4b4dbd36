"""Curves of other kinds → keys between which straight lines, and arcs of turns, follow them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import TypeVar

import numpy as np

from pruxel.core.base.arrays import DoubleArray, frozen
from pruxel.core.geometry.euler import angles_between_deg, slerps
from pruxel.core.scene.model import ChannelPath, ClipChannel, Interpolation, LookChannel, ShownChannel

_ROUNDS = 6
_DENSE = 200_000  # keys, beyond which lines between them do
_SHARES = (0.25, 0.5, 0.75)
_ARC_ERROR_DEG = 0.05
_JUMP_SECONDS = 1e-4
_SAME = 1e-6  # of the rest, within which nothing moves
_LINE_ERROR = 1e-4  # of the range of the values


def refined(times: DoubleArray, values: Callable[[DoubleArray], DoubleArray], *, turn: bool) -> DoubleArray:
    """Times between which lines (arcs, for a turn) follow the values, halved where they stray."""
    for _ in range(_ROUNDS):
        if not 2 <= len(times) <= _DENSE:
            break
        gaps = np.diff(times)
        # All at once: it is small arrays that are slow.
        every = values(np.concatenate([times, *(times[:-1] + share * gaps for share in _SHARES)]))
        known, betweens = every[: len(times)], np.split(every[len(times) :], len(_SHARES))
        bad = np.zeros(len(gaps), bool)
        for share, between in zip(_SHARES, betweens, strict=True):
            if turn:
                arc = slerps(known[:-1], known[1:], np.full(len(between), share))
                bad |= angles_between_deg(between, arc) > _ARC_ERROR_DEG
            else:
                line = known[:-1] * (1 - share) + known[1:] * share
                room = max(float(np.ptp(known, axis=0).max()), 1e-9)
                bad |= np.abs(between - line).max(axis=1) > _LINE_ERROR * room
        wide = np.nonzero(bad & (gaps > 2e-3))[0]
        if not len(wide):
            break
        times = np.insert(times, wide + 1, (times[wide] + times[wide + 1]) / 2)
    return times


def with_jumps(times: DoubleArray, jumps: Sequence[DoubleArray]) -> DoubleArray:
    """Times with one more just before each jump of a curve, so that a line leads to it and none across it."""
    before = np.concatenate(jumps) - _JUMP_SECONDS
    return np.unique(np.concatenate([times, before[before > times[0]]]))


Counted = TypeVar("Counted", bound=ClipChannel | ShownChannel | LookChannel)


def channel_of(
    node: int, path: ChannelPath, times: DoubleArray, values: DoubleArray, how: Interpolation
) -> ClipChannel:
    """A channel of keys (k,) and (k, width)."""
    keys = frozen(times.astype(np.float32)), frozen(values.astype(np.float32))
    return ClipChannel(node, path, *keys, interpolation=how)


def counted_from(channels: Sequence[Counted], begin: float) -> list[Counted]:
    """Channels whose keys are counted from where the clip begins, if none stands before that; none before 0."""
    first = min((float(channel.times[0]) for channel in channels), default=0.0)
    shift = np.float32(begin if first >= begin else min(first, 0.0))
    if not shift:
        return list(channels)
    return [replace(channel, times=frozen((channel.times - shift).clip(0))) for channel in channels]


Split = Callable[[DoubleArray], tuple[DoubleArray, DoubleArray, DoubleArray]]


def placed_channels(
    node: int, times: DoubleArray, split: Split, rest: tuple[DoubleArray, ...], how: Interpolation, *, exact: bool
) -> list[ClipChannel]:
    """Translation, rotation and scale of a node, those that differ from its rest (1, …) at some key.

    `split` gives all three at times (n,). Unless the keys are `exact`, more are added where lines and arcs would stray.
    """
    paths: tuple[ChannelPath, ...] = ("translation", "rotation", "scale")
    found = []
    for column, path in enumerate(paths):

        def values(at: DoubleArray, column: int = column) -> DoubleArray:
            return split(at)[column]

        turn = path == "rotation"
        own = times if exact else refined(times, values, turn=turn)
        rows = values(own)
        near = rows * np.where((rows * rest[1]).sum(axis=1, keepdims=True) < 0, -1, 1) if turn else rows
        if np.abs(near - rest[column]).max() > _SAME * max(float(np.abs(rest[column]).max()), 1.0):
            found.append(channel_of(node, path, own, _steady(rows) if turn else rows, how))
    return found


def _steady(turns: DoubleArray) -> DoubleArray:
    """(k, 4) the same rotations, each on the side of the one before."""
    flips = np.where((turns[1:] * turns[:-1]).sum(axis=1) < 0, -1.0, 1.0)
    return turns * np.concatenate([[1.0], np.cumprod(flips)])[:, None]

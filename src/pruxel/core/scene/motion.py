"""What is worth telling of a clip: how long it is, at what rate its keys stand, what it moves."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import DoubleArray
from pruxel.core.scene.model import Clip, ClipChannel, LookChannel, ShownChannel

_EVEN = 0.02  # by which share of a frame keys may stand beside their frames


@dataclass(frozen=True)
class ClipFacts:
    """Facts about one clip: seconds from 0 to its last key, keys a second, keys of all channels together.

    `rate` is 0 where keys stand at no even rate. `moves` are the paths of its channels, `entry` is where it comes from.
    """

    name: str
    seconds: float
    rate: float
    frames: int
    keys: int
    nodes: int
    moves: tuple[str, ...]
    entry: str


def facts_of(clip: Clip) -> ClipFacts:
    """Measure a clip."""
    times = moments(clip.tracks)
    return ClipFacts(
        clip.name,
        float(times[-1]) if len(times) else 0.0,
        rate_of_keys(times),
        max((len(channel.times) for channel in clip.tracks), default=0),
        sum(len(channel.times) for channel in clip.tracks),
        len({channel.node for channel in clip.channels}),
        tuple(sorted({channel.path for channel in clip.tracks})),
        clip.origin.entry,
    )


def moments(channels: Sequence[ClipChannel | ShownChannel | LookChannel]) -> DoubleArray:
    """All (k,) seconds at which a channel has a key, ascending, each once."""
    listed = [np.asarray(channel.times, np.float64) for channel in channels]
    return np.unique(np.concatenate(listed)) if listed else np.zeros(0)


def rate_of_keys(times: DoubleArray) -> float:
    """Keys a second of (k,) ascending seconds, to 0.01; 0 where they stand at no even rate.

    Keys may be left out: the rate is that of the shortest step, of which all others are whole numbers.
    """
    steps = np.diff(times)
    steps = steps[steps > 1e-6]
    if not len(steps):
        return 0.0
    # The shortest steps differ by rounding; what is about as short is one step.
    one = float(np.median(steps[steps < steps.min() * (1 + _EVEN)]))
    counted = steps / one
    uneven = np.abs(counted - np.round(counted)) > _EVEN * np.maximum(np.round(counted), 1)
    return 0.0 if uneven.any() else round(float(np.round(counted).sum() / steps.sum()), 2)

"""What clips do to the sizes of joints: how much they grow, and how unevenly."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import DoubleArray
from pruxel.core.scene.keys import key_values
from pruxel.core.scene.model import ClipChannel, Scene


@dataclass(frozen=True)
class Growth:
    """How far a joint leaves its size at rest, and how much more it grows along one axis than along another: shares."""

    most: float
    uneven: float


def grown(scene: Scene, channel: ClipChannel) -> DoubleArray:
    """(k, 3) the sizes at the keys of a channel of scale, by the size at rest; as they are where there is none."""
    rest = np.asarray(scene.nodes[channel.node].scale, np.float64)
    return key_values(channel) / np.where(np.abs(rest) > 1e-9, rest, 1.0)


def growth_of(scene: Scene, channel: ClipChannel) -> Growth:
    """Measure a channel of scale."""
    sizes = grown(scene, channel)
    least = np.maximum(np.abs(sizes).min(axis=1), 1e-9)
    return Growth(float(np.abs(sizes - 1).max()), float((np.abs(sizes).max(axis=1) / least - 1).max()))

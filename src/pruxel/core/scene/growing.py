"""What clips do to the sizes of joints: how much they grow, and how unevenly."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pruxel.core.scene.keys import key_values
from pruxel.core.scene.model import ClipChannel, Scene


@dataclass(frozen=True)
class Growth:
    """How far a joint leaves its size at rest, and how much more it grows along one axis than along another: shares."""

    most: float
    uneven: float


def growth_of(scene: Scene, channel: ClipChannel) -> Growth:
    """Measure a channel of scale; keys of a joint without a size at rest are taken as they are."""
    rest = np.asarray(scene.nodes[channel.node].scale, np.float64)
    rows = key_values(channel)
    grown = rows / np.where(np.abs(rest) > 1e-9, rest, 1.0)
    least = np.maximum(np.abs(grown).min(axis=1), 1e-9)
    return Growth(float(np.abs(grown - 1).max()), float((np.abs(grown).max(axis=1) / least - 1).max()))

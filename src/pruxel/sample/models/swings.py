"""Joints that swing to and fro, or bend and come back."""

from __future__ import annotations

from math import sin, tau

from pruxel.sample.rig import Motion, Vec


def sway(axis: int, most: float, late: float = 0.0, mean: float = 0.0) -> Motion:
    """Swing to and fro once a clip about one axis, `late` by a share of it."""

    def angles(share: float) -> Vec:
        found = [0.0, 0.0, 0.0]
        found[axis] = mean + most * sin(tau * (share - late))
        return (found[0], found[1], found[2])

    return angles


def bend(axis: int, most: float, late: float = 0.0) -> Motion:
    """Bend one way only, and back."""

    def angles(share: float) -> Vec:
        found = [0.0, 0.0, 0.0]
        found[axis] = most * max(0.0, sin(tau * (share - late)))
        return (found[0], found[1], found[2])

    return angles

"""Figures that rest lying, or on their heads."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from pruxel.core.base.arrays import DoubleArray
from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence, Finding, Severity, SuggestedStep
from pruxel.core.findings.registry import rule
from pruxel.core.fit.stance import Stance, stance_of
from pruxel.core.scene.model import Scene

_STANDS_DEG = 45.0  # what leans by less stands
_NEAR = 0.9  # cosine to the axis that up is taken for


@rule("lying_figure", "Figures that do not stand")
def lying_figure(scene: Scene, context: Context) -> Iterator[Finding]:
    """Look where the head is over the feet at rest, by the names of joints; quarter turns alone are proposed."""
    context.check()
    stance = stance_of(scene) if scene.skins else None
    if stance is None:
        return
    angle = float(np.degrees(np.arccos(np.clip(stance.up[1], -1, 1))))
    up = _axis(stance.up, _NEAR)
    if angle < _STANDS_DEG or up is None:
        return
    front = _front(stance, up)
    yield Finding(
        rule="lying_figure",
        severity=Severity.WARNING,
        title="The figure stands on its head" if up == "-y" else "The figure lies",
        detail="Its feet, hips and head are on one line that does not point up: most programs will show it lying. "
        "One that is meant to rest so needs nothing.",
        evidence=(
            Evidence("from feet to head, away from up", round(angle, 1), "°"),
            Evidence("stands when it leans by less than", _STANDS_DEG, "°"),
        ),
        suggestion=SuggestedStep("stand_up", {"up": up, "front": front}, "Stand the figure up"),
    )


def _axis(way: DoubleArray, near: float) -> str | None:
    """The axis nearest to a unit direction (3,); None where none is near."""
    at = int(np.abs(way).argmax())
    return None if abs(way[at]) < near else f"{'+' if way[at] > 0 else '-'}{'xyz'[at]}"


def _front(stance: Stance, up: str) -> str:
    """Where it looks, across up; where nothing tells, what the shortest turn brings forward."""
    if stance.front is not None:
        across = np.where([axis == up[1] for axis in "xyz"], 0.0, stance.front)
        found = _axis(across, 0.0)
        assert found is not None
        return found
    return {"+z": "-y", "-z": "+y"}.get(up, "+z")

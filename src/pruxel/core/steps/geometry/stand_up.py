"""Stand the model up: say which axis of its data is up and which is its front."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from pruxel.core.base.arrays import DoubleArray
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.findings import Evidence
from pruxel.core.scene.measure import length_words, measure
from pruxel.core.scene.model import Scene
from pruxel.core.scene.reframe import reframed, with_views_apart
from pruxel.core.steps.registry import Params, StepResult, step

Axis = Literal["+x", "-x", "+y", "-y", "+z", "-z"]


class StandUp(Params):
    """The axes as they are now."""

    up: Axis = Field("+y", title="Up is now", description="the axis that should point up")
    front: Axis = Field("+z", title="Front is now", description="the axis that should look forward")


@step(
    "stand_up",
    "Stand up",
    "Turns everything so that what is up in the data points up and its front looks forward.",
    StandUp,
)
def stand_up(scene: Scene, params: StandUp, context: Context) -> StepResult:
    """Turn vertices, skeleton, shapes, clips and views by quarter turns, so that no node carries the turn."""
    context.check()
    if params.up[1] == params.front[1]:
        raise UsageError(
            ErrorCode.USAGE, "up and front lie along one axis", field="front",
            expected=f"an axis other than {params.up[1]}", found=params.front,
        )  # fmt: skip
    up, front = _direction(params.up), _direction(params.front)
    turn = np.stack([np.cross(up, front), up, front])  # rows: what becomes x, y and z
    turned = reframed(with_views_apart(scene, turn, turn), turn, 1.0)
    size = measure(turned).size
    measured = tuple(Evidence(n, s, "m") for n, s in zip(("width", "height", "depth"), size, strict=True))
    words = f"{params.up} is up, {params.front} is the front; {length_words(size[1])} high"
    return StepResult(turned, words, measured)


def _direction(axis: Axis) -> DoubleArray:
    made = np.zeros(3)
    made["xyz".index(axis[1])] = 1.0 if axis[0] == "+" else -1.0
    return made

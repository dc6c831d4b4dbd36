"""Put the model where it belongs: centred, on the ground, turned about an axis."""

from __future__ import annotations

from math import cos, radians, sin
from typing import Literal

from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.scene.measure import measure
from pruxel.core.scene.model import IDENTITY_TURN, Scene, Vec4
from pruxel.core.scene.tops import Movement, moved_whole
from pruxel.core.steps.references import Degrees, Place
from pruxel.core.steps.registry import Params, StepResult, step

Axis = Literal["x", "y", "z"]


class PlaceModel(Params):
    """First it is turned, then centred and set down, then shifted."""

    turn: Degrees = Field(
        0.0, ge=-360, le=360, title="Turn by", description="counter-clockwise, seen from the axis' end"
    )
    axis: Axis = Field("y", title="Turn about", description="the axis through the origin")
    centre: bool = Field(default=False, title="Centre", description="the middle of its width and depth at the origin")
    ground: bool = Field(default=False, title="Set down", description="its lowest point at height 0")
    shift: Place = Field((0.0, 0.0, 0.0), title="Shift", description="afterwards, along x, y and z")


@step(
    "place_model",
    "Place the model",
    "Turns the whole model about an axis, centres it, sets it on the ground, shifts it.",
    PlaceModel,
)
def place_model(scene: Scene, params: PlaceModel, context: Context) -> StepResult:
    """Move what stands below nothing; skeletons, clips, cameras and lights come along."""
    context.check()
    turned = moved_whole(scene, Movement(turn=_turn(params)))
    facts = measure(turned)
    x, y, z = params.shift
    if params.centre:
        x -= (facts.minimum[0] + facts.maximum[0]) / 2
        z -= (facts.minimum[2] + facts.maximum[2]) / 2
    if params.ground:
        y -= facts.minimum[1]
    moved = moved_whole(turned, Movement(shift=(x, y, z)))
    words = [f"turned by {params.turn:g}° about {params.axis}"] if params.turn else []
    words += ["centred"] if params.centre else []
    words += ["on the ground"] if params.ground else []
    words += [f"shifted by {x:.3g}, {y:.3g}, {z:.3g} m"] if (x, y, z) != (0.0, 0.0, 0.0) else []
    measured = tuple(Evidence(f"shift along {a}", value, "m") for a, value in zip("xyz", (x, y, z), strict=True))
    return StepResult(moved, ", ".join(words) or "left where it is", measured)


def _turn(params: PlaceModel) -> Vec4:
    half = radians(params.turn) / 2
    if half == 0:
        return IDENTITY_TURN
    return (
        sin(half) if params.axis == "x" else 0.0,
        sin(half) if params.axis == "y" else 0.0,
        sin(half) if params.axis == "z" else 0.0,
        cos(half),
    )

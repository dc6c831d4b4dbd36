"""Make the model as large as it is in truth: so high, or so far from one point to another."""

from __future__ import annotations

from math import dist
from typing import Literal

from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.findings import Evidence
from pruxel.core.scene.measure import measure
from pruxel.core.scene.model import Scene
from pruxel.core.scene.tops import Movement, moved_whole
from pruxel.core.steps.references import Metres, Place
from pruxel.core.steps.registry import Params, StepResult, step

Of = Literal["height", "width", "depth", "longest side", "between two points"]


class SetSize(Params):
    """What is so long, and how long."""

    of: Of = Field("height", title="What", description="the model's side, or the way between the two points")
    length: Metres = Field(1.8, gt=0, le=1e6, title="Length", description="how long that is in truth")
    first: Place = Field((0.0, 0.0, 0.0), title="First point", description="one end of the measured way")
    second: Place = Field((0.0, 1.0, 0.0), title="Second point", description="its other end")


@step(
    "set_size",
    "Set the true size",
    "Scales everything so that the model is as high, or two points are as far apart, as you know them to be.",
    SetSize,
)
def set_size(scene: Scene, params: SetSize, context: Context) -> StepResult:
    """Scale about the origin; raises `UsageError` where there is nothing to measure."""
    context.check()
    size = measure(scene).size
    sides = {"width": size[0], "height": size[1], "depth": size[2], "longest side": max(size)}
    now = sides.get(params.of, dist(params.first, params.second))
    factor = params.length / now if now > 0 else 0.0
    if not 1e-9 <= factor <= 1e9:
        raise UsageError(
            ErrorCode.USAGE, f"the {params.of} cannot become {params.length:g} m", field="of",
            expected="something that has a length", found=f"{now:g} m", hint="Measure another side.",
        )  # fmt: skip
    scaled = moved_whole(scene, Movement(factor))
    measured = (Evidence("before", now, "m"), Evidence("after", params.length, "m"), Evidence("factor", factor))
    return StepResult(scaled, f"{params.of} {now:.4g} m → {params.length:.4g} m (factor {factor:.4g})", measured)

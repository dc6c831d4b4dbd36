"""Scale the whole scene: one unit of the data becomes another length."""

from __future__ import annotations

from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.scene.measure import measure
from pruxel.core.scene.model import Scene
from pruxel.core.scene.tops import Movement, moved_whole
from pruxel.core.steps.registry import Params, StepResult, step


class SetUnits(Params):
    """The factor that lengths are multiplied by."""

    factor: float = Field(
        ..., gt=0, le=1e6, ge=1e-6, title="Factor", description="metres a metre becomes; 0.01 for data in centimetres"
    )


@step(
    "set_units",
    "Set units",
    "Scales everything by one factor, about the origin, so that lengths are metres.",
    SetUnits,
)
def set_units(scene: Scene, params: SetUnits, context: Context) -> StepResult:
    """Scale what stands below nothing; everything below follows, vertices stay as they are."""
    context.check()
    scaled = moved_whole(scene, Movement(params.factor))
    before, after = max(measure(scene).size), max(measure(scaled).size)
    measured = (Evidence("longest side before", before, "m"), Evidence("longest side after", after, "m"))
    return StepResult(scaled, f"longest side {before:.4g} m → {after:.4g} m (factor {params.factor:g})", measured)

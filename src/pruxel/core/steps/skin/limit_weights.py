"""Leave each vertex its strongest joints, as many as the next program takes."""

from __future__ import annotations

from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.scene.bound import held_parts
from pruxel.core.scene.model import Scene
from pruxel.core.steps.on_skins import most_pulling, reweighted
from pruxel.core.steps.references import Parts, Share
from pruxel.core.steps.registry import Params, StepResult, step


class LimitWeights(Params):
    """How many joints a vertex may follow, and what is too little to count."""

    most: int = Field(4, ge=1, le=64, title="Joints a vertex", description="the strongest stay")
    least: Share = Field(1.0, title="At least", description="what pulls less than this goes, but never all")
    parts: Parts = ()


@step(
    "limit_weights",
    "Limit weights",
    "Leaves each vertex its strongest joints and shares their pull out anew, so that it is whole.",
    LimitWeights,
)
def limit_weights(scene: Scene, params: LimitWeights, context: Context) -> StepResult:
    """Drop the weakest weights and let the others sum to one; raises `UsageError` where no joint holds anything."""
    context.check()
    before = max((most_pulling(mesh) for _, _, mesh in held_parts(scene)), default=0)
    done = reweighted(
        scene, params.parts, lambda table, _: table, context, most=params.most, least=params.least / 100
    )  # fmt: skip
    after = max((most_pulling(mesh) for _, _, mesh in held_parts(done.scene)), default=0)
    return StepResult(
        done.scene, f"{done.words()} changed: {after} joints a vertex at most, {before} before",
        (*done.measured(), Evidence("joints a vertex before", before), Evidence("joints a vertex now", after)),
    )  # fmt: skip

"""Let weights go over into each other gently: against creases where a joint bends."""

from __future__ import annotations

from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.geometry.weights import smoothed
from pruxel.core.scene.model import Scene
from pruxel.core.steps.on_skins import reweighted
from pruxel.core.steps.references import Parts, Share
from pruxel.core.steps.registry import Params, StepResult, step


class SmoothWeights(Params):
    """How much, and how often."""

    strength: Share = Field(50.0, title="How much", description="towards what lies around a vertex")
    passes: int = Field(2, ge=1, le=100, title="Times", description="each time reaches one edge farther")
    parts: Parts = ()


@step(
    "smooth_weights",
    "Smooth weights",
    "Draws each vertex's weights towards those around it, across seams and materials, so that it bends softly.",
    SmoothWeights,
)
def smooth_weights(scene: Scene, params: SmoothWeights, context: Context) -> StepResult:
    """Mix each place's weights with the mean of its neighbours'; raises `UsageError` where no joint holds anything."""
    context.check()
    share = params.strength / 100
    done = reweighted(
        scene, params.parts, lambda table, places: smoothed(table, places.beside(), share, params.passes), context
    )
    return StepResult(done.scene, f"{done.words()} smoothed", done.measured())

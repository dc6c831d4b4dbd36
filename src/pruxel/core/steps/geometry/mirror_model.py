"""Mirror the model: what was left is right, with skeleton, shapes and clips."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.scene.measure import triangle_count
from pruxel.core.scene.model import Scene
from pruxel.core.scene.reframe import reframed, with_views_apart
from pruxel.core.steps.registry import Params, StepResult, step

_X_MIRRORED = np.diag([-1.0, 1.0, 1.0])


class MirrorModel(Params):
    """Across which plane through the origin."""

    axis: Literal["x", "y", "z"] = Field("x", title="Along", description="the axis whose ends change places")


@step(
    "mirror_model",
    "Mirror the model",
    "Exchanges left and right (or top and bottom, front and back) with skeleton, shapes and clips; fronts stay fronts.",
    MirrorModel,
)
def mirror_model(scene: Scene, params: MirrorModel, context: Context) -> StepResult:
    """Mirror vertices, placements, bind matrices and keys; names stay, also those that say left or right."""
    context.check()
    mirror = np.eye(3)
    mirror["xyz".index(params.axis)] *= -1
    # A view cannot be mirrored: it keeps its direction and what is up in it.
    view = mirror @ _X_MIRRORED
    mirrored = reframed(with_views_apart(scene, view, view), mirror, 1.0)
    return StepResult(mirrored, f"mirrored along {params.axis}", (Evidence("triangles", triangle_count(mirrored)),))

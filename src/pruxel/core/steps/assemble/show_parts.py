"""Keep some parts, drop the others."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.scene.model import Scene
from pruxel.core.scene.walk import parts
from pruxel.core.steps.choose_parts import chosen_parts
from pruxel.core.steps.drop_parts import with_parts_dropped
from pruxel.core.steps.references import Part
from pruxel.core.steps.registry import Params, StepResult, step


class ShowParts(Params):
    """Which parts, and whether they are the ones that stay or go."""

    parts: tuple[Part, ...] = Field(..., min_length=1, title="Parts", description="names of the parts")
    action: Literal["keep", "drop"] = Field("keep", title="Action", description="keep only these parts, or drop them")


@step(
    "show_parts",
    "Show parts",
    "Keeps the named parts and drops the rest, or drops the named ones.",
    ShowParts,
)
def show_parts(scene: Scene, params: ShowParts, context: Context) -> StepResult:
    """Keep or drop parts, with all that only they used."""
    context.check()
    named = set(chosen_parts(scene, params.parts))
    everything = [index for index, _, _ in parts(scene)]
    dropped = [i for i in everything if (i in named) == (params.action == "drop")]
    if len(dropped) == len(everything):
        raise UsageError(ErrorCode.USAGE, "no part would be left", hint="Name at least one part that stays.")
    return with_parts_dropped(scene, dropped)

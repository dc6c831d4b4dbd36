"""Tell levels of detail apart where a file piles them up without a word."""

from __future__ import annotations

from dataclasses import replace

from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.scene.model import Scene
from pruxel.core.scene.piles import WITHIN, piles
from pruxel.core.steps.choose_parts import chosen_parts
from pruxel.core.steps.references import Parts
from pruxel.core.steps.registry import Params, StepResult, step


class TellLevels(Params):
    """Which parts to look at, and how alike copies are."""

    parts: Parts = ()
    within: float = Field(
        100 * WITHIN, gt=0, le=20, title="Alike within", description="per cent of a part's size between their surfaces"
    )


@step(
    "tell_levels",
    "Tell levels of detail apart",
    "Finds coarser copies of a part in its own place and notes them as its levels 1, 2, …; nothing is dropped.",
    TellLevels,
)
def tell_levels(scene: Scene, params: TellLevels, context: Context) -> StepResult:
    """Number the parts of each pile by how fine they are."""
    context.check()
    found = piles(scene, context, among=set(chosen_parts(scene, params.parts)), within=params.within / 100)
    level = {index: number for pile in found for number, index in enumerate(pile.nodes)}
    nodes = tuple(replace(n, detail=level[k]) if level.get(k, 0) else n for k, n in enumerate(scene.nodes))
    coarser = sum(number > 0 for number in level.values())
    words = "one part is a coarser copy" if coarser == 1 else f"{coarser:,} parts are coarser copies"
    return StepResult(
        replace(scene, nodes=nodes) if coarser else scene, words if coarser else "no part is a coarser copy",
        (Evidence("coarser copies", coarser), Evidence("things in levels", len(found))),
    )  # fmt: skip

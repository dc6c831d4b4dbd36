"""Keep some parts, drop the others."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.findings import Evidence
from pruxel.core.scene.edit import keep_nodes
from pruxel.core.scene.model import Scene
from pruxel.core.scene.walk import parts
from pruxel.core.steps.choose_parts import chosen_parts
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
    stay = [i for i in range(len(scene.nodes)) if i not in set(dropped)]
    # A dropped part with children stays as a bare node, so that its children keep their place.
    needed = {i for i in dropped if scene.nodes[i].children}
    # So does one that is a joint of a part that stays.
    kept = _without_meshes(scene, set(dropped))
    result = keep_nodes(kept, [*stay, *needed])
    left = len(everything) - len(dropped)
    measured = (Evidence("parts kept", left), Evidence("parts dropped", len(dropped)))
    there = {node.name for node in result.nodes}
    gone = tuple(name for index in dropped if (name := scene.nodes[index].name) not in there)
    return StepResult(result, f"{left} of {len(everything)} parts kept", measured, removed=gone)


def _without_meshes(scene: Scene, nodes: set[int]) -> Scene:
    changed = tuple(
        replace(node, mesh=None, skin=None, weights=None) if index in nodes else node
        for index, node in enumerate(scene.nodes)
    )
    return replace(scene, nodes=changed)

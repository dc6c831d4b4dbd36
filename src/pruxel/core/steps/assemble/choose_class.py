"""Keep or drop parts by what they are for and how fine they are, as the file says."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.scene.model import Node, Scene
from pruxel.core.scene.walk import parts
from pruxel.core.steps.drop_parts import with_parts_dropped
from pruxel.core.steps.registry import Params, StepResult, step


class ChooseClass(Params):
    """Of what, and which level."""

    keep: Literal["one level of detail", "all but collision hulls", "collision hulls alone"] = Field(
        "one level of detail",
        title="Keep",
        description="coarser copies go; what only physics knows goes, or stays alone",
    )
    level: int = Field(0, ge=0, le=20, title="Level", description="of detail, the one that stays; 0 is the finest")


@step(
    "choose_class",
    "Choose a level of detail",
    "Keeps one level of detail where a file piles several up, drops collision hulls, or keeps them alone.",
    ChooseClass,
)
def choose_class(scene: Scene, params: ChooseClass, context: Context) -> StepResult:
    """Keep the parts of one level, or those that are hulls or none. Raises `UsageError` if nothing would be left."""
    context.check()
    everything = [(index, node) for index, node, _ in parts(scene)]
    finest = min((node.detail for _, node in everything if node.role == "visual"), default=0)
    coarsest = max((node.detail for _, node in everything if node.role == "visual"), default=0)
    level = min(max(params.level, finest), coarsest)

    def stays(node: Node) -> bool:
        if params.keep == "one level of detail":
            return node.role != "visual" or node.detail == level
        return (node.role == "collision") == (params.keep == "collision hulls alone")

    gone = {index for index, node in everything if not stays(node)}
    if everything and len(gone) == len(everything):
        raise UsageError(
            ErrorCode.USAGE, "no part would be left", expected="a file that says which parts are of this class",
            found=f"{len(everything)} parts of another", hint="Choose parts by name instead.",
        )  # fmt: skip
    return with_parts_dropped(scene, gone)

"""Scale the whole scene: one unit of the data becomes another length."""

from __future__ import annotations

from dataclasses import replace

from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.scene.measure import measure
from pruxel.core.scene.model import Node, Scene
from pruxel.core.steps.registry import Params, StepResult, step


class SetUnits(Params):
    """The factor that lengths are multiplied by."""

    factor: float = Field(
        ..., gt=0, le=1e6, ge=1e-6, title="Factor", description="metres a metre becomes; 0.01 for data in centimetres"
    )


def _scaled(node: Node, factor: float) -> Node:
    x, y, z = node.translation
    a, b, c = node.scale
    return replace(
        node,
        translation=(x * factor, y * factor, z * factor),
        scale=(a * factor, b * factor, c * factor),
    )


@step(
    "set_units",
    "Set units",
    "Scales everything by one factor, about the origin, so that lengths are metres.",
    SetUnits,
)
def set_units(scene: Scene, params: SetUnits, context: Context) -> StepResult:
    """Scale the roots; everything below follows, vertices stay as they are."""
    context.check()
    roots = set(scene.roots)
    nodes = tuple(_scaled(node, params.factor) if index in roots else node for index, node in enumerate(scene.nodes))
    scaled = replace(scene, nodes=nodes)
    before, after = max(measure(scene).size), max(measure(scaled).size)
    return StepResult(scaled, f"longest side {before:.4g} m → {after:.4g} m (factor {params.factor:g})")

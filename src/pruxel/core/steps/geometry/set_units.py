"""Scale the whole scene: one unit of the data becomes another length."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from pydantic import Field

from pruxel.core.base.arrays import frozen
from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.scene.measure import measure
from pruxel.core.scene.model import Clip, ClipChannel, Node, Scene, as_matrix
from pruxel.core.scene.walk import parents_of
from pruxel.core.steps.registry import Params, StepResult, step


class SetUnits(Params):
    """The factor that lengths are multiplied by."""

    factor: float = Field(
        ..., gt=0, le=1e6, ge=1e-6, title="Factor", description="metres a metre becomes; 0.01 for data in centimetres"
    )


def _scaled(node: Node, factor: float) -> Node:
    x, y, z = node.translation
    a, b, c = node.scale
    matrix = node.matrix
    if matrix is not None:
        grown = np.diag((factor, factor, factor, 1.0)) @ np.array(matrix)
        matrix = as_matrix(grown)
    return replace(
        node,
        translation=(x * factor, y * factor, z * factor),
        scale=(a * factor, b * factor, c * factor),
        matrix=matrix,
    )


def _clip_scaled(clip: Clip, tops: set[int], factor: float) -> Clip:
    """Keys of what is scaled are scaled with it, since a clip puts them in place of the node's own."""

    def scaled(channel: ClipChannel) -> ClipChannel:
        if channel.node not in tops or channel.path not in {"translation", "scale"}:
            return channel
        return replace(channel, values=frozen((channel.values * np.float32(factor)).astype(np.float32)))

    return replace(clip, channels=tuple(scaled(channel) for channel in clip.channels))


@step(
    "set_units",
    "Set units",
    "Scales everything by one factor, about the origin, so that lengths are metres.",
    SetUnits,
)
def set_units(scene: Scene, params: SetUnits, context: Context) -> StepResult:
    """Scale what stands below nothing; everything below follows, vertices stay as they are."""
    context.check()
    tops = {index for index, above in enumerate(parents_of(scene)) if above < 0}
    nodes = tuple(_scaled(node, params.factor) if index in tops else node for index, node in enumerate(scene.nodes))
    scaled = replace(scene, nodes=nodes, clips=tuple(_clip_scaled(clip, tops, params.factor) for clip in scene.clips))
    before, after = max(measure(scene).size), max(measure(scaled).size)
    measured = (Evidence("longest side before", before, "m"), Evidence("longest side after", after, "m"))
    return StepResult(scaled, f"longest side {before:.4g} m → {after:.4g} m (factor {params.factor:g})", measured)

"""Bake transforms: scale, turn and place of nodes go into the vertices, so that the next program finds none."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Literal

import numpy as np
from pydantic import Field

from pruxel.core.base.arrays import DoubleArray, frozen
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.geometry.transforms import compose, decompose
from pruxel.core.scene.edit import drop_unused
from pruxel.core.scene.model import Mesh, Node, Scene
from pruxel.core.scene.pose import baked
from pruxel.core.scene.walk import in_order, local_matrix, placed_by
from pruxel.core.steps.choose_parts import chosen_parts
from pruxel.core.steps.references import Parts
from pruxel.core.steps.registry import Params, StepResult, step

_MOST_VERTICES = 20_000_000
_SAME, _FLAT = 1e-9, 1e-30
What = Literal["everything", "turn and scale", "scale"]


class BakeTransforms(Params):
    """What is baked."""

    parts: Parts = ()
    what: What = Field("everything", title="What", description="what becomes nothing: place, turn and scale of nodes")


@dataclass(eq=False)
class _Baking:
    """The meshes that come of it: equal ones once, though many nodes have them."""

    scene: Scene
    meshes: list[Mesh]
    made: dict[tuple[int, bytes], int] = field(default_factory=dict)
    vertices: int = 0

    def mesh(self, number: int, matrix: DoubleArray) -> int:
        """The number of a mesh moved by a (4, 4) matrix."""
        key = (number, matrix.tobytes())
        if key not in self.made:
            old = self.scene.meshes[number]
            self.vertices += sum(len(p.positions) for p in old.primitives)
            if self.vertices > _MOST_VERTICES:
                raise UsageError(
                    ErrorCode.BUDGET, "each placing of a model would become a mesh of its own: too many vertices",
                    field="parts", expected=f"at most {_MOST_VERTICES:,}", found=f"{self.vertices:,} and more",
                    hint="Choose fewer parts.",
                )  # fmt: skip
            self.made[key] = len(self.meshes)
            self.meshes.append(baked(old, matrix))
        return self.made[key]


@step(
    "bake_transforms",
    "Bake transforms",
    "Puts scale, turn and place of nodes into their vertices; all stays where it is, and clips stay as they are.",
    BakeTransforms,
)
def bake_transforms(scene: Scene, params: BakeTransforms, context: Context) -> StepResult:
    """Walk from the top: what a node gives up, what hangs on it takes on. What clips move stays, as does its parent.

    Raises `UsageError` where too many placings of one mesh would become meshes.
    """
    chosen = {scene.nodes[k].name for k in chosen_parts(scene, params.parts)} if params.parts else None
    moving = {c.node for clip in scene.clips for c in clip.channels if c.path != "weights"}
    holding = moving | {joint for skin in scene.skins for joint in skin.joints}
    work = _Baking(scene, list(scene.meshes))
    nodes, taken, done = list(scene.nodes), dict[int, DoubleArray](), 0
    for index in in_order(scene):
        context.check()
        node = scene.nodes[index]
        whole = local_matrix(node) if index not in taken else taken[index] @ local_matrix(node)
        left = whole
        if not (index in holding or _stays(scene, node, chosen) or any(child in moving for child in node.children)):
            left = _LEFT[params.what](whole)
        given = frozen(np.linalg.inv(left) @ whole) if left is not whole else np.eye(4)
        if np.abs(given - np.eye(4)).max() < _SAME or abs(np.linalg.det(given)) < _FLAT:
            left, given = whole, np.eye(4)
        if left is not whole or index in taken:  # else it stays as it was written
            nodes[index] = placed_by(node, left)
        if left is whole:
            continue
        done += 1
        taken |= dict.fromkeys(node.children, given)
        # What hangs on joints stands where they hold it, wherever its node is.
        if node.mesh is not None and node.skin is None:
            nodes[index] = replace(nodes[index], mesh=work.mesh(node.mesh, given))
    result = drop_unused(replace(scene, nodes=tuple(nodes), meshes=tuple(work.meshes))) if done else scene
    return StepResult(
        result, f"{params.what} of {counted(done, 'node')} baked in" if done else "there is nothing to bake in",
        (Evidence("nodes", done), Evidence("meshes made", len(work.made))),
    )  # fmt: skip


def _stays(scene: Scene, node: Node, chosen: set[str] | None) -> bool:
    """Whether a node keeps its place: it was not chosen, a view looks along its axes, or joints hold half of it."""
    if node.mesh is not None and node.skin is not None:
        mesh = scene.meshes[node.mesh]
        if mesh.strokes or any(p.joints is None for p in mesh.primitives):
            return True
    return node.camera is not None or node.light is not None or (chosen is not None and node.name not in chosen)


def _unscaled(whole: DoubleArray) -> DoubleArray:
    place, turn, scale = decompose(whole)
    return compose(place, turn, (1.0, 1.0, 1.0)) if all(scale) else whole


def _shifted(whole: DoubleArray) -> DoubleArray:
    left = np.eye(4)
    left[:3, 3] = whole[:3, 3]
    return left


# What is left of a node's (4, 4) placing.
_LEFT: dict[What, Callable[[DoubleArray], DoubleArray]] = {
    "everything": lambda _whole: np.eye(4),
    "turn and scale": _shifted,
    "scale": _unscaled,
}

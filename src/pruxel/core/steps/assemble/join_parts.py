"""Join parts into one."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import numpy as np
from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.findings import Evidence
from pruxel.core.scene.edit import keep_nodes
from pruxel.core.scene.model import Mesh, Primitive, Scene, Strokes
from pruxel.core.scene.pose import moved, moved_strokes
from pruxel.core.scene.walk import parents_of, world_from_local
from pruxel.core.steps.choose_parts import chosen_parts
from pruxel.core.steps.on_meshes import of_parts
from pruxel.core.steps.references import NameText, Part
from pruxel.core.steps.registry import Params, StepResult, step

_FLAT = 1e-30  # a volume that nothing comes back from


class JoinParts(Params):
    """Which parts; the first one is what the others join."""

    parts: tuple[Part, ...] = Field((), title="Parts", description="at least two; none means all")
    name: NameText = Field("", title="Name", description="of the joined part; empty: that of the first")


@step(
    "join_parts",
    "Join parts",
    "Makes one part of several; each keeps its materials and stands where it stood.",
    JoinParts,
)
def join_parts(scene: Scene, params: JoinParts, context: Context) -> StepResult:
    """Bring the surfaces of the chosen parts into the first one's space.

    Raises `UsageError` where parts move against each other, hang on different skeletons, or carry shapes.
    """
    context.check()
    chosen = chosen_parts(scene, params.parts)
    if len(chosen) < 2:
        raise UsageError(
            ErrorCode.USAGE, "there is nothing to join", expected="two parts or more", found=of_parts(len(chosen)),
            hint="Choose more parts.",
        )  # fmt: skip
    _refuse_what_moves(scene, chosen)
    first, *others = chosen
    world = world_from_local(scene)
    if abs(float(np.linalg.det(world[first]))) < _FLAT:
        raise UsageError(
            ErrorCode.USAGE, f"“{scene.nodes[first].name}” is scaled to nothing: nothing can stand in its space",
            field="parts", expected="a part of some size first", found="a scale of 0", hint="Choose another first.",
        )  # fmt: skip
    primitives, strokes = list[Primitive](), list[Strokes]()
    for index in chosen:
        mesh = _mesh(scene, index)
        matrix = np.linalg.inv(world[first]) @ world[index]
        held = scene.nodes[index].skin is not None  # joints hold it, wherever its node stands
        primitives += [p if held and p.joints is not None else moved(p, matrix) for p in mesh.primitives]
        strokes += [moved_strokes(s, matrix) for s in mesh.strokes]
    name = params.name or scene.nodes[first].name
    joined = replace(_mesh(scene, first), name=name, primitives=tuple(primitives), strokes=tuple(strokes))
    nodes = tuple(
        replace(node, mesh=len(scene.meshes), name=name) if index == first
        else replace(node, mesh=None, skin=None) if index in set(others) else node
        for index, node in enumerate(scene.nodes)
    )  # fmt: skip
    taken = [node.name for index, node in enumerate(scene.nodes) if index != first]
    if name in taken:
        raise UsageError(
            ErrorCode.USAGE, f"there is another “{name}”", field="name", expected="a name of its own", found=name
        )
    stay = [i for i in range(len(nodes)) if i not in set(others) or nodes[i].children]
    result = keep_nodes(replace(scene, nodes=nodes, meshes=(*scene.meshes, joined)), stay)
    there = {node.name for node in result.nodes}
    return StepResult(
        result, f"{of_parts(len(chosen))} are “{name}”",
        (Evidence("parts joined", len(chosen)), Evidence("materials", len({p.material for p in primitives}))),
        renamed={scene.nodes[first].name: name} if name != scene.nodes[first].name else {},
        removed=tuple(n for i in others if (n := scene.nodes[i].name) not in there),
    )  # fmt: skip


def _mesh(scene: Scene, index: int) -> Mesh:
    mesh = scene.nodes[index].mesh
    assert mesh is not None
    return scene.meshes[mesh]


def _above(parents: list[int], index: int) -> Iterator[int]:
    """The node and all above it."""
    while index >= 0:
        yield index
        index = parents[index]


def _refuse_what_moves(scene: Scene, chosen: list[int]) -> None:
    """Parts that are to be one must stand still against each other, on one skeleton, without shapes."""
    skins = {scene.nodes[index].skin for index in chosen}
    moving = {c.node for clip in scene.clips for c in clip.channels}
    moving |= {one.node for clip in scene.clips for one in clip.shown}
    parents = parents_of(scene)
    ways = [moving & set(_above(parents, index)) for index in chosen if scene.nodes[index].skin is None]
    shaped = [scene.nodes[i].name for i in chosen if any(p.targets for p in _mesh(scene, i).primitives)]
    why = ""
    if len(skins) > 1:
        why = "they hang on different skeletons, or some on none"
    elif any(way != ways[0] for way in ways):
        why = "they move against each other in a clip"
    elif shaped:
        why = f"“{shaped[0]}” changes its shape"
    if why:
        raise UsageError(
            ErrorCode.USAGE, f"these parts cannot be one: {why}", field="parts",
            expected="parts that stand still against each other, on one skeleton or none, without shapes",
            found=", ".join(scene.nodes[i].name for i in chosen[:4]), hint="Choose fewer parts.",
        )  # fmt: skip

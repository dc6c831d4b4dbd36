"""Drop joints that hold nothing."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

import numpy as np
from pydantic import Field

from pruxel.core.base.arrays import AnyArray, frozen
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.scene.edit import edit_meshes, keep_nodes
from pruxel.core.scene.model import Mesh, Scene, Skin
from pruxel.core.scene.walk import parents_of
from pruxel.core.steps.registry import Params, StepResult, step


class DropJoints(Params):
    """What may stay all the same."""

    ends: bool = Field(
        default=True, title="Keep ends", description="the last joint of a chain stays: it says how long its bone is"
    )


@step(
    "drop_joints",
    "Drop unused joints",
    "Drops joints that no vertex follows and that carry nothing: helpers, tracks, what other models need.",
    DropJoints,
)
def drop_joints(scene: Scene, params: DropJoints, context: Context) -> StepResult:
    """Drop joints that pull no vertex and have nothing below; raises `UsageError` where there is no joint."""
    context.check()
    joints = {joint for skin in scene.skins for joint in skin.joints}
    if not joints:
        raise UsageError(ErrorCode.USAGE, "there are no joints here", expected="a model with a skeleton", found="none")
    gone = joints - _staying(scene, joints, ends=params.ends)
    if not gone:
        return StepResult(scene, "every joint holds something", (Evidence("joints dropped", 0),))
    fewer = replace(
        _without(scene, gone), roots=tuple(root for root in scene.roots if root not in gone),
    )  # fmt: skip
    kept = keep_nodes(fewer, [n for n in range(len(scene.nodes)) if n not in gone])
    there = {node.name for node in kept.nodes}
    removed = tuple(node.name for node in scene.nodes if node.name not in there)
    return StepResult(
        kept, f"{counted(len(gone), 'joint')} of {len(joints)} dropped",
        (Evidence("joints dropped", len(gone)), Evidence("joints left", len(joints) - len(gone))), removed=removed,
    )  # fmt: skip


def _staying(scene: Scene, joints: set[int], *, ends: bool) -> set[int]:
    """The joints that pull a vertex, or have something below that stays."""
    above = parents_of(scene)
    firm = {n for n, node in enumerate(scene.nodes) if n not in joints or _shows(scene, n)}
    for number, skin in enumerate(scene.skins):
        pulled = _pulling(scene, number, len(skin.joints))
        # A skin has one joint at least.
        firm |= {joint for joint, used in zip(skin.joints, pulled, strict=True) if used} or {skin.joints[0]}
    staying = set(firm)
    for node in firm:
        at = above[node]
        while at >= 0 and at not in staying:
            staying.add(at)
            at = above[at]
    if ends:
        followed = staying & joints
        # An end of a bone that holds something: the only joint below it.
        for node in followed:
            below = [child for child in scene.nodes[node].children if child in joints]
            if len(below) == 1 and not scene.nodes[below[0]].children:
                staying.add(below[0])
    return staying


def _shows(scene: Scene, index: int) -> bool:
    node = scene.nodes[index]
    return node.mesh is not None or node.camera is not None or node.light is not None


def _pulling(scene: Scene, skin: int, count: int) -> AnyArray:
    """(count,) bool: the joints of a skin that pull a vertex of any part."""
    found = np.zeros(count, bool)
    for node in scene.nodes:
        if node.skin != skin or node.mesh is None:
            continue
        for p in scene.meshes[node.mesh].primitives:
            if p.joints is not None and p.weights is not None:
                found[p.joints[p.weights > 0].astype(np.int64)] = True
    return found


def _without(scene: Scene, gone: set[int]) -> Scene:
    """The scene whose skins and tree know some joints no more; vertices are told anew which number is whose."""
    made, skins = scene, []
    for number, skin in enumerate(scene.skins):
        left = [k for k, joint in enumerate(skin.joints) if joint not in gone]
        new = np.zeros(len(skin.joints), np.uint16)
        new[left] = np.arange(len(left))
        skins.append(_fewer(skin, left, gone))
        held = [index for index, node in enumerate(scene.nodes) if node.skin == number]
        made = edit_meshes(made, held, partial(_renumbered, new))
    nodes = [
        replace(node, children=tuple(child for child in node.children if child not in gone)) for node in made.nodes
    ]
    return replace(made, nodes=tuple(nodes), skins=tuple(skins))


def _fewer(skin: Skin, left: list[int], gone: set[int]) -> Skin:
    top = skin.skeleton if skin.skeleton is None or skin.skeleton not in gone else None
    return replace(
        skin, joints=tuple(skin.joints[k] for k in left), inverse_bind=frozen(skin.inverse_bind[left]), skeleton=top
    )


def _renumbered(new: AnyArray, mesh: Mesh) -> Mesh:
    every = (
        p if p.joints is None else replace(p, joints=frozen(new[p.joints.astype(np.int64)])) for p in mesh.primitives
    )
    return replace(mesh, primitives=tuple(every))

"""Let a part follow one joint, stiffly: a lamp in a hand, a helmet on a head."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from pydantic import Field
from scipy.sparse import csr_array

from pruxel.core.base.arrays import frozen
from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.geometry.transforms import affine_inverses
from pruxel.core.scene.bound import bound
from pruxel.core.scene.model import Scene, Skin
from pruxel.core.scene.walk import world_from_local
from pruxel.core.steps.choose_joints import chosen_joint
from pruxel.core.steps.choose_parts import chosen_parts
from pruxel.core.steps.on_meshes import of_parts
from pruxel.core.steps.references import Joint, Parts
from pruxel.core.steps.registry import Params, StepResult, step


class BindToJoint(Params):
    """Which joint, and what follows it."""

    joint: Joint = Field("", title="Joint", description="what the parts follow")
    parts: Parts = ()


@step(
    "bind_to_joint",
    "Bind to one joint",
    "Lets parts follow one joint alone, as if they were screwed to it; they stay where they stand.",
    BindToJoint,
)
def bind_to_joint(scene: Scene, params: BindToJoint, context: Context) -> StepResult:
    """Give all vertices of the parts to one joint; raises `UsageError` for a joint that is not there."""
    context.check()
    if not params.joint:
        return StepResult(scene, "no joint is chosen", (Evidence("parts", 0),))
    joint = chosen_joint(scene, params.joint, "joint")
    made, chosen, vertices = scene, chosen_parts(scene, params.parts), 0
    for index in chosen:
        context.check()
        made, skin = _skin_with(made, index, joint)
        column = made.skins[skin].joints.index(joint)
        number = made.nodes[index].mesh
        assert number is not None
        sizes = [len(p.positions) for p in made.meshes[number].primitives]
        made = bound(made, index, skin, [_all_to(column, n, len(made.skins[skin].joints)) for n in sizes])
        vertices += sum(sizes)
    return StepResult(
        made, f"{of_parts(len(chosen))} bound to “{params.joint}”",
        (Evidence("vertices", vertices), Evidence("parts", len(chosen))),
    )  # fmt: skip


def _all_to(column: int, vertices: int, count: int) -> csr_array:
    cells = (np.arange(vertices), np.full(vertices, column))
    return csr_array((np.ones(vertices), cells), shape=(vertices, count))


def _skin_with(scene: Scene, part: int, joint: int) -> tuple[Scene, int]:
    """The part's own skin, or the first one, that has the joint; a new one where none has."""
    own = scene.nodes[part].skin
    order = [own] if own is not None else []
    for number in [*order, *range(len(scene.skins))]:
        if joint in scene.skins[number].joints:
            return scene, number
    inverse = affine_inverses(world_from_local(scene)[[joint]])
    skin = Skin(scene.nodes[joint].name, (joint,), frozen(inverse))
    return replace(scene, skins=(*scene.skins, skin)), len(scene.skins)

"""The order in which a skin lists its joints: what some engines go by instead of names."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from pydantic import Field

from pruxel.core.base.arrays import AnyArray, frozen
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.scene.model import Mesh, Primitive, Scene, Skin
from pruxel.core.steps.references import NameText
from pruxel.core.steps.registry import Params, StepResult, step


class OrderJoints(Params):
    """The joints in their order."""

    names: tuple[NameText, ...] = Field(
        ..., min_length=1, max_length=10_000, title="Order", description="joints by name, first to last; others follow"
    )


@step(
    "order_joints",
    "Order joints",
    "Puts the joints of skins in an order of yours, for engines that tell joints by number. Nothing moves.",
    OrderJoints,
)
def order_joints(scene: Scene, params: OrderJoints, context: Context) -> StepResult:
    """Reorder the joints of all skins, their bind matrices, and the numbers that vertices hold.

    Raises `UsageError` where no skin has a joint of the list.
    """
    context.check()
    place = {name: n for n, name in reversed(list(enumerate(params.names)))}
    orders = [_order([scene.nodes[joint].name for joint in skin.joints], place) for skin in scene.skins]
    known = {scene.nodes[joint].name for skin in scene.skins for joint in skin.joints} & set(place)
    if not known:
        raise UsageError(
            ErrorCode.USAGE, "none of these is a joint here", field="names", found=", ".join(params.names[:8]),
            expected="names of joints" if scene.skins else "a model with a skeleton",
        )  # fmt: skip
    moved = sum(int((order != np.arange(len(order))).sum()) for order in orders)
    skins = tuple(_ordered(skin, order) for skin, order in zip(scene.skins, orders, strict=True))
    return StepResult(
        _renumbered(replace(scene, skins=skins), orders), f"{counted(moved, 'joint')} in another place",
        (
            Evidence("joints in another place", moved),
            Evidence("names that are no joint here", len(place) - len(known)),
        ),
    )  # fmt: skip


def _order(names: list[str], place: dict[str, int]) -> AnyArray:
    """(j,) the old number of each new one: those in the list first, all others as they were."""
    return np.array(sorted(range(len(names)), key=lambda n: (place.get(names[n], len(place)), n)), np.int64)


def _ordered(skin: Skin, order: AnyArray) -> Skin:
    joints = tuple(skin.joints[n] for n in order)
    return replace(skin, joints=joints, inverse_bind=frozen(np.ascontiguousarray(skin.inverse_bind[order])))


def _renumbered(scene: Scene, orders: list[AnyArray]) -> Scene:
    """Meshes whose vertices name joints by their new numbers; one that several skins hold becomes one for each."""
    nodes, meshes = list(scene.nodes), list(scene.meshes)
    made: dict[tuple[int, bytes], int] = {}
    taken: set[int] = set()
    for index, node in enumerate(scene.nodes):
        if node.mesh is None or node.skin is None:
            continue
        new_of_old = np.argsort(orders[node.skin])
        key = (node.mesh, new_of_old.tobytes())
        if key not in made:
            mesh = _with_numbers(scene.meshes[node.mesh], new_of_old)
            made[key] = len(meshes) if node.mesh in taken else node.mesh
            if node.mesh in taken:
                meshes.append(mesh)
            else:
                meshes[node.mesh] = mesh
            taken.add(node.mesh)
        nodes[index] = replace(node, mesh=made[key])
    return replace(scene, nodes=tuple(nodes), meshes=tuple(meshes))


def _with_numbers(mesh: Mesh, new_of_old: AnyArray) -> Mesh:
    def one(primitive: Primitive) -> Primitive:
        if primitive.joints is None:
            return primitive
        return replace(primitive, joints=frozen(new_of_old[primitive.joints].astype(primitive.joints.dtype)))

    return replace(mesh, primitives=tuple(one(primitive) for primitive in mesh.primitives))

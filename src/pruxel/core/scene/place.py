"""Models → one scene in which each stands as often and where it is placed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import accumulate

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.base.limits import Limits
from pruxel.core.scene.edit import drop_unused, keep_nodes, merge, unique_names
from pruxel.core.scene.materials import Material
from pruxel.core.scene.model import Node, Scene
from pruxel.core.scene.pose import stiff
from pruxel.core.scene.walk import parts


@dataclass(frozen=True, eq=False)
class Placements:
    """Where copies stand.

    `model` (n,) int64 numbers of models; positions (n, 3) metres, +Y up; rotations (n, 4) xyzw; scales (n, 3), float64.
    """

    model: AnyArray
    positions: DoubleArray
    rotations: DoubleArray
    scales: DoubleArray

    def with_one(self, model: int) -> Placements:
        """With one more, of a model that stands at the origin as it is."""
        return Placements(
            np.append(self.model, model),
            np.concatenate([self.positions, np.zeros((1, 3))]),
            np.concatenate([self.rotations, [(0.0, 0.0, 0.0, 1.0)]]),
            np.concatenate([self.scales, np.ones((1, 3))]),
        )


def tinted(scene: Scene, tint: Sequence[float]) -> Scene:
    """The scene with its colours multiplied with a tint of four numbers; what has no material gets one of that."""
    color = tuple(min(max(float(value), 0.0), 1.0) for value in tint)
    materials = [
        replace(one, base_color=tuple(a * b for a, b in zip(one.base_color, color, strict=True)))  # type: ignore[arg-type]
        for one in scene.materials
    ]
    bare = len(materials)
    materials.append(Material("tint", base_color=color, metallic=0.0))  # type: ignore[arg-type]
    meshes = tuple(
        replace(
            mesh, primitives=tuple(p if p.material is not None else replace(p, material=bare) for p in mesh.primitives)
        )
        for mesh in scene.meshes
    )
    return drop_unused(replace(scene, materials=tuple(materials), meshes=meshes))


def placed(name: str, models: Sequence[Scene], where: Placements, limits: Limits) -> Scene:
    """One node for every placement, named after its model; copies share meshes. Raises `InputError` when too many.

    Models stand still and show their finest visible parts: a level is built of those.
    """
    stills = [_still(model) for model in models]
    merged = merge(name, stills)
    first = [0, *accumulate(len(still.nodes) for still in stills)]
    wanted = sum(1 + len(stills[number].nodes) for number in where.model.tolist())
    if wanted > limits.nodes:
        raise InputError(
            ErrorCode.BUDGET,
            "the level places more than one scene may hold",
            file=name,
            expected=f"at most {limits.nodes:,} nodes",
            found=f"{wanted:,}",
        )
    nodes, roots = list[Node](), list[int]()
    columns = (where.model, where.positions, where.rotations, where.scales)
    for number, position, rotation, scale in zip(*(column.tolist() for column in columns), strict=True):
        own, shift = merged.nodes[first[number] : first[number + 1]], len(nodes) - first[number]
        if not own:
            continue
        place = Node(models[number].name, translation=tuple(position), rotation=tuple(rotation), scale=tuple(scale))
        if len(own) == 1 and _unmoved(own[0]):
            nodes.append(replace(place, mesh=own[0].mesh, origin=own[0].origin))
        else:
            nodes += [
                replace(node, name=f"{place.name}_{name}", children=tuple(child + shift for child in node.children))
                for node, name in zip(own, (node.name for node in stills[number].nodes), strict=True)
            ]
            nodes.append(replace(place, children=tuple(root + shift + first[number] for root in stills[number].roots)))
        roots.append(len(nodes) - 1)
    return drop_unused(replace(merged, nodes=unique_names(nodes), roots=tuple(roots)))


def _still(scene: Scene) -> Scene:
    """The finest visible parts of a scene as they stand."""
    moving = scene.skins or any(mesh.target_weights for mesh in scene.meshes)
    rigid = stiff(scene) if moving else replace(scene, clips=())
    return keep_nodes(rigid, [i for i, node, _ in parts(rigid) if node.role == "visual" and node.detail == 0])


def _unmoved(node: Node) -> bool:
    still = Node(node.name)
    return (node.translation, node.rotation, node.scale) == (still.translation, still.rotation, still.scale)

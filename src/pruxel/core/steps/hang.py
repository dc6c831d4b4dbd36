"""What steps that put parts on one skeleton share: joints known by name, else by where they rest."""

from __future__ import annotations

import re
from collections.abc import Collection
from dataclasses import dataclass, replace
from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from pruxel.core.base.arrays import DoubleArray, frozen
from pruxel.core.scene.edit import keep_nodes
from pruxel.core.scene.model import Scene, Skin
from pruxel.core.scene.walk import parents_of, placed_by, world_from_local
from pruxel.core.steps.references import Metres

_AGAIN = re.compile(r"\.\d+$")  # what makes a name one of its own where two models are put together
Rest = Literal["where it was", "with the joints"]
Near = Annotated[
    Metres,
    Field(ge=0, le=100, title="Near", description="joints without a namesake are those that rest no farther apart"),
]


@dataclass(frozen=True)
class Hung:
    """The scene on one skeleton, how many joints found theirs, the names of those of their own, and of those gone."""

    scene: Scene
    matched: int
    own: tuple[str, ...]
    removed: tuple[str, ...]


def strange_joints(scene: Scene, skins: Collection[int]) -> list[int]:
    """The joints of some skins that are none of the first skin's, each once."""
    base = set(scene.skins[0].joints) if scene.skins else set()
    return list(dict.fromkeys(j for k in skins for j in scene.skins[k].joints if j not in base))


def hung_on_first(scene: Scene, skins: Collection[int], near: float, rest: Rest) -> Hung:
    """Hang some skins on the joints of the first. Joints that match nothing stay, below the joint that theirs is.

    `near` in metres. A part rests where it was, or goes along to where the joints of the first skeleton rest.
    """
    base, others = set(scene.skins[0].joints), strange_joints(scene, skins)
    world = world_from_local(scene)
    heir = _matched(scene, sorted(base), others, world, near)
    hung = tuple(
        _rehung(skin, heir, world, rest) if number in skins else skin for number, skin in enumerate(scene.skins)
    )
    # What stood below a joint that is gone stands below its heir: where it stood, or as it stood to it.
    nodes = list(scene.nodes)
    above = parents_of(scene)
    for index, node in enumerate(scene.nodes):
        parent = above[index]
        if parent not in heir or index in heir:
            continue
        if rest == "where it was":
            nodes[index] = placed_by(node, np.linalg.inv(world[heir[parent]]) @ world[index])
        held = nodes[heir[parent]]
        nodes[heir[parent]] = replace(held, children=(*held.children, index))
    nodes = [replace(n, children=()) if i in heir else n for i, n in enumerate(nodes)]
    clips = tuple(
        replace(
            clip,
            channels=tuple(replace(c, node=heir.get(c.node, c.node)) for c in clip.channels),
            shown=tuple(one for one in clip.shown if one.node not in heir),
        )
        for clip in scene.clips
    )
    roots = tuple(root for root in scene.roots if root not in heir)
    joined = replace(scene, nodes=tuple(nodes), skins=hung, clips=clips, roots=roots)
    kept = keep_nodes(joined, [i for i in range(len(nodes)) if i not in heir])
    there = {node.name for node in kept.nodes}
    gone = tuple(name for i in sorted(heir) if (name := scene.nodes[i].name) not in there)
    own = tuple(scene.nodes[i].name for i in others if i not in heir)
    return Hung(kept, len(heir), own, gone)


def _matched(scene: Scene, base: list[int], others: list[int], world: DoubleArray, near: float) -> dict[int, int]:
    """The joint of the first skeleton that each other one is, by its number; those that are none are left out."""
    above = parents_of(scene)
    # What the first skeleton hangs on itself, and joints that show something, stay what they are.
    staying = {
        i for i, n in enumerate(scene.nodes) if n.mesh is not None or n.camera is not None or n.light is not None
    }
    for joint in base:
        at = joint
        while at >= 0:
            staying.add(at)
            at = above[at]
    by_name = {_AGAIN.sub("", scene.nodes[joint].name): joint for joint in reversed(base)}
    places = world[base][:, :3, 3]
    found: dict[int, int] = {}
    for joint in others:
        if joint in staying:
            continue
        known = by_name.get(_AGAIN.sub("", scene.nodes[joint].name))
        if known is None and near > 0:
            away = np.linalg.norm(places - world[joint][:3, 3], axis=1)
            if float(away.min()) <= near:
                known = base[int(away.argmin())]
        if known is not None:
            found[joint] = known
    return found


def _rehung(skin: Skin, heir: dict[int, int], world: DoubleArray, rest: Rest) -> Skin:
    """The skin on other joints; each pulls from where its own rested where nothing may move at rest."""
    inverse = np.array(skin.inverse_bind, np.float64)
    for number, joint in enumerate(skin.joints):
        if joint in heir and rest == "where it was":
            inverse[number] = np.linalg.inv(world[heir[joint]]) @ world[joint] @ inverse[number]
    joints = tuple(heir.get(joint, joint) for joint in skin.joints)
    top = None if skin.skeleton is None else heir.get(skin.skeleton, skin.skeleton)
    return replace(skin, joints=joints, inverse_bind=frozen(inverse), skeleton=top)

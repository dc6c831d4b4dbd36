"""Share a skeleton: parts that came with skeletons of their own hang on one."""

from __future__ import annotations

import re
from dataclasses import replace

import numpy as np
from pydantic import Field

from pruxel.core.base.arrays import DoubleArray, frozen
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.findings import Evidence
from pruxel.core.scene.edit import keep_nodes
from pruxel.core.scene.model import Scene, Skin
from pruxel.core.scene.walk import parents_of, placed_by, world_from_local
from pruxel.core.steps.references import Metres
from pruxel.core.steps.registry import Params, StepResult, step

_AGAIN = re.compile(r"\.\d+$")  # what makes a name one of its own where two models are put together


class ShareSkeleton(Params):
    """How joints of other skeletons are known."""

    near: Metres = Field(
        0.02, ge=0, le=100, title="Near", description="joints without a namesake are those that rest no farther apart"
    )


@step(
    "share_skeleton",
    "Share one skeleton",
    "Hangs all parts on the first skeleton: joints are matched by name, else by where they rest; clips move all.",
    ShareSkeleton,
)
def share_skeleton(scene: Scene, params: ShareSkeleton, context: Context) -> StepResult:
    """Joints that match nothing stay, below the joint that theirs is matched with. Every part rests as it did.

    Raises `UsageError` where there is no second skeleton.
    """
    context.check()
    base = set(scene.skins[0].joints) if scene.skins else set()
    others = list(dict.fromkeys(j for skin in scene.skins[1:] for j in skin.joints if j not in base))
    if not others:
        raise UsageError(
            ErrorCode.USAGE, "there is one skeleton at the most", expected="parts on two skeletons or more",
            found=f"{len(scene.skins)} skins", hint="Bring in what hangs on a skeleton of its own first.",
        )  # fmt: skip
    world = world_from_local(scene)
    heir = _matched(scene, sorted(base), others, world, params.near)
    skins = tuple(scene.skins[:1]) + tuple(_rehung(skin, heir, world) for skin in scene.skins[1:])
    # What stood below a joint that is gone stands below its heir, where it stood.
    nodes = list(scene.nodes)
    above = parents_of(scene)
    for index, node in enumerate(scene.nodes):
        parent = above[index]
        if parent not in heir or index in heir:
            continue
        local = np.linalg.inv(world[heir[parent]]) @ world[index]
        nodes[index] = placed_by(node, local)
        held = nodes[heir[parent]]
        nodes[heir[parent]] = replace(held, children=(*held.children, index))
    nodes = [replace(n, children=()) if i in heir else n for i, n in enumerate(nodes)]
    clips = tuple(
        replace(clip, channels=tuple(replace(c, node=heir.get(c.node, c.node)) for c in clip.channels))
        for clip in scene.clips
    )
    roots = tuple(root for root in scene.roots if root not in heir)
    joined = replace(scene, nodes=tuple(nodes), skins=skins, clips=clips, roots=roots)
    kept = keep_nodes(joined, [i for i in range(len(nodes)) if i not in heir])
    there = {node.name for node in kept.nodes}
    gone = tuple(name for i in sorted(heir) if (name := scene.nodes[i].name) not in there)
    return StepResult(
        kept, f"{len(heir):,} of {len(others):,} joints are joints of “{scene.skins[0].name}” now",
        (Evidence("joints matched", len(heir)), Evidence("joints of their own", len(others) - len(heir))),
        removed=gone,
    )  # fmt: skip


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


def _rehung(skin: Skin, heir: dict[int, int], world: DoubleArray) -> Skin:
    """The skin on other joints; each pulls from where its own rested, so that nothing moves at rest."""
    inverse = np.array(skin.inverse_bind, np.float64)
    for number, joint in enumerate(skin.joints):
        if joint in heir:
            inverse[number] = np.linalg.inv(world[heir[joint]]) @ world[joint] @ inverse[number]
    joints = tuple(heir.get(joint, joint) for joint in skin.joints)
    top = None if skin.skeleton is None else heir.get(skin.skeleton, skin.skeleton)
    return replace(skin, joints=joints, inverse_bind=frozen(inverse), skeleton=top)

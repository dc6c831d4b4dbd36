"""The way that clips go: taken out, so that they tread on the spot, or given to a joint of its own."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic import Field

from pruxel.core.base.arrays import DoubleArray
from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.scene.edit import unique_names
from pruxel.core.scene.keys import laid
from pruxel.core.scene.model import Clip, Node, Scene
from pruxel.core.scene.motion_at import worlds
from pruxel.core.scene.top_movers import main_mover, moments_for, placed_in_world
from pruxel.core.scene.walk import parents_of, world_from_local
from pruxel.core.steps.choose_clips import Clips, chosen_clips
from pruxel.core.steps.references import NameText
from pruxel.core.steps.registry import Params, StepResult, step


class RootMotion(Params):
    """Of which clips, and what becomes of their way."""

    clips: Clips = ()
    action: Literal["taken out", "on a joint of its own"] = Field(
        "taken out", title="The way is", description="engines that move the figure themselves want one or the other"
    )
    height: bool = Field(default=False, title="Height too", description="else up and down stays where it is")
    name: NameText = Field("root", min_length=1, title="Joint", description="the name of the joint of its own")


@step(
    "root_motion",
    "Take the way out of clips",
    "Lets clips tread on the spot; the way that they went is gone, or moves a joint of its own that stands above all.",
    RootMotion,
)
def root_motion(scene: Scene, params: RootMotion, context: Context) -> StepResult:
    """Part the way of each clip's main joint, from where it begins, from the rest of its movement."""
    context.check()
    clips, ways, farthest = list(scene.clips), dict[int, tuple[DoubleArray, DoubleArray]](), 0.0
    for number in chosen_clips(scene, params.clips):
        context.check()
        parted = _parted(scene, scene.clips[number], height=params.height)
        if parted is None:
            continue
        clips[number], seconds, way = parted
        ways[number] = (seconds, way)
        farthest = max(farthest, float(np.linalg.norm(way, axis=1).max()))
    made = replace(scene, clips=tuple(clips))
    if params.action == "on a joint of its own" and ways:
        made = _with_root(made, params.name, ways)
    return StepResult(
        made, f"the way of {counted(len(ways), 'clip')} {params.action}, {farthest:.2f} m at most",
        (Evidence("clips", len(ways)), Evidence("farthest from where it began", round(farthest, 4), "m")),
    )  # fmt: skip


def _parted(scene: Scene, clip: Clip, *, height: bool) -> tuple[Clip, DoubleArray, DoubleArray] | None:
    """The clip on the spot, and its way (m, 3) in the world at times (m,)."""
    node, seconds = main_mover(scene, clip), moments_for(clip)
    if node is None or not len(seconds):
        return None
    matrices = worlds(scene, clip, seconds)[:, node].copy()
    way = matrices[:, :3, 3] - matrices[0, :3, 3]
    if not height:
        way[:, 1] = 0
    matrices[:, :3, 3] -= way
    return placed_in_world(scene, clip, seconds, {node: matrices}), seconds, way


def _with_root(scene: Scene, name: str, ways: dict[int, tuple[DoubleArray, DoubleArray]]) -> Scene:
    """The scene with a node above what the clips move, which goes their ways."""
    clip = scene.clips[next(iter(ways))]
    main = main_mover(scene, clip)
    assert main is not None
    above, world = parents_of(scene), world_from_local(scene)
    parent, number = above[main], len(scene.nodes)
    nodes = [*scene.nodes, Node(name, children=(main,))]
    if parent >= 0:
        held = tuple(number if child == main else child for child in nodes[parent].children)
        nodes[parent] = replace(nodes[parent], children=held)
    roots = tuple(number if root == main else root for root in scene.roots)
    into = np.linalg.pinv(world[parent][:3, :3]) if parent >= 0 else np.eye(3)
    clips = list(scene.clips)
    for k, (seconds, way) in ways.items():
        track = laid(number, "translation", seconds, way @ into.T)
        clips[k] = replace(clips[k], channels=(track, *clips[k].channels))
    return replace(scene, nodes=unique_names(nodes), roots=roots, clips=tuple(clips))

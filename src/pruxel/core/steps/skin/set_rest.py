"""Make a pose the one in which the skeleton rests."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic import Field

from pruxel.core.base.arrays import frozen
from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.geometry.skinning import blended_matrices
from pruxel.core.geometry.transforms import affine_inverses
from pruxel.core.scene.bound import carried
from pruxel.core.scene.edit import edit_meshes
from pruxel.core.scene.keys import end_of, laid
from pruxel.core.scene.model import ChannelPath, Clip, Mesh, Node, Scene
from pruxel.core.scene.pose import joint_matrices, posed
from pruxel.core.scene.surface_motion import apart_at_surface
from pruxel.core.scene.walk import parts, world_from_local
from pruxel.core.steps.choose_clips import chosen_clips
from pruxel.core.steps.references import ClipName, Seconds
from pruxel.core.steps.registry import Params, StepResult, step

_PLACED_BY: tuple[ChannelPath, ...] = ("translation", "rotation", "scale")
_LOOKS = 9  # moments of a clip at which the difference is measured


class SetRest(Params):
    """Which pose, and what becomes of the surface."""

    clip: ClipName = Field("", title="Clip", description="whose pose; a pose that was kept is a clip of one key")
    at: Seconds = Field(0.0, ge=0, le=86_400, title="At", description="the moment")
    surface: Literal["bound to the new rest", "bound as it was"] = Field(
        "bound to the new rest", title="Surface",
        description="bound anew it is stored as it stands then, and may bend a little otherwise in clips",
    )  # fmt: skip


@step(
    "set_rest",
    "Make a pose the rest",
    "Lets the skeleton rest as it stands at a moment: arms out for one program, arms down for the other. Clips stay.",
    SetRest,
)
def set_rest(scene: Scene, params: SetRest, context: Context) -> StepResult:
    """Place the nodes as the clip has them, and keep every clip as it was; raises `UsageError` for an unknown clip."""
    context.check()
    clip = scene.clips[chosen_clips(scene, [params.clip] if params.clip else [])[0]]
    rested = posed(scene, clip, params.at)
    moved = [n for n, (a, b) in enumerate(zip(scene.nodes, rested.nodes, strict=True)) if _placing(a) != _placing(b)]
    kept = replace(rested, clips=tuple(_holding(scene, one, moved) for one in scene.clips))
    made = _bound_anew(kept) if params.surface == "bound to the new rest" else kept
    apart = 0.0
    for old, new in zip(scene.clips, made.clips, strict=True):
        context.check()
        moments = np.linspace(0.0, end_of(old), _LOOKS)
        apart = max(apart, apart_at_surface(scene, old, made, new, moments))
    return StepResult(
        made, f"rests as “{clip.name}” at {params.at:.2f} s: {counted(len(moved), 'joint')} placed anew",
        (Evidence("joints placed anew", len(moved)), Evidence("clips apart by", round(1000 * apart, 3), "mm")),
    )  # fmt: skip


def _placing(node: Node) -> tuple[object, ...]:
    return node.translation, node.rotation, node.scale, node.weights


def _holding(scene: Scene, clip: Clip, moved: list[int]) -> Clip:
    """The clip with a key for all that it left at rest and that rests otherwise now."""
    keyed = {(channel.node, channel.path) for channel in clip.channels}
    added = [
        laid(index, path, np.zeros(1), np.array([getattr(scene.nodes[index], path)], np.float64))
        for index in moved
        for path in _PLACED_BY
        if (index, path) not in keyed
    ]
    return replace(clip, channels=(*clip.channels, *added)) if clip.channels else clip


def _bound_anew(scene: Scene) -> Scene:
    """The scene whose surfaces are stored as they stand, and whose joints pull from where they are."""
    world = world_from_local(scene)
    made = scene
    for index, node, _ in parts(scene):
        if node.skin is None:
            continue
        pull = joint_matrices(scene, node.skin, world)

        def bent(mesh: Mesh, pull: np.ndarray = pull) -> Mesh:
            every = (
                p if p.joints is None or p.weights is None
                else carried(p, blended_matrices(pull, p.joints, p.weights))
                for p in mesh.primitives
            )  # fmt: skip
            return replace(mesh, primitives=tuple(every))

        made = edit_meshes(made, {index}, bent)
    inverse = affine_inverses(world)
    skins = tuple(replace(skin, inverse_bind=frozen(inverse[list(skin.joints)])) for skin in scene.skins)
    return replace(made, skins=skins)

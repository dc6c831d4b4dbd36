"""Pose a skeleton by hand, and keep the pose by a name."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Annotated, Any

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from pruxel.core.base.arrays import DoubleArray
from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.fit.limbs import limb_to, reached
from pruxel.core.geometry.euler import products, slerps, turns_of_euler
from pruxel.core.scene.keys import laid
from pruxel.core.scene.model import ChannelPath, Clip, Node, Scene, Vec3, Vec4
from pruxel.core.scene.pose import posed
from pruxel.core.scene.walk import parents_of, placed_by, world_from_local
from pruxel.core.steps.choose_clips import chosen_clips
from pruxel.core.steps.choose_joints import chosen_joint
from pruxel.core.steps.references import ClipName, Degrees, Joint, Metres, NameText, Seconds, Share
from pruxel.core.steps.registry import Params, StepResult, step

_Turn = Annotated[Degrees, Field(ge=-3600, le=3600)]
_Metres = Annotated[Metres, Field(ge=-100_000, le=100_000)]


class JointTurn(BaseModel):
    """A joint turned further about its own axes."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    joint: Annotated[Joint, Field(max_length=1000)]
    turn: tuple[_Turn, _Turn, _Turn] = Field((0.0, 0.0, 0.0), title="Turn", description="about its x, then y, then z")


class JointPull(BaseModel):
    """A joint pulled to a place in the world: the two bones above it follow; one without two above moves itself."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    joint: Annotated[Joint, Field(max_length=1000)]
    to: tuple[_Metres, _Metres, _Metres] = Field((0.0, 0.0, 0.0), title="To", description="x, y and z in the world")


class Pose(Params):
    """What is turned and pulled, starting from what, and how the pose is called."""

    name: NameText = Field("pose", min_length=1, title="Name", description="it is kept among the clips")
    clip: ClipName = Field(
        "", max_length=1000, title="From", description="the clip that it starts from; empty: as it rests"
    )
    at: Seconds = Field(0.0, ge=0, le=86_400, title="At", description="the moment of that clip")
    turns: tuple[JointTurn, ...] = Field(
        (), max_length=2_000, title="Turns", description="by joint, one after the other"
    )
    pulls: tuple[JointPull, ...] = Field((), max_length=200, title="Pulls", description="after all turns")
    share: Share = Field(100.0, title="How much", description="of the way from where it starts to the pose")


@step(
    "pose",
    "Pose",
    "Turns joints and pulls hands and feet; the pose is kept by its name, to be frozen, mirrored or made the rest.",
    Pose,
)
def pose(scene: Scene, params: Pose, context: Context) -> StepResult:
    """Add the pose as a clip of one key, in place of one of that name; raises `UsageError` for an unknown joint."""
    context.check()
    made = stands(start_of(scene, params), params, context)
    clips = [one for one in scene.clips if one.name != params.name]
    touched = len({one.joint for one in params.turns} | {one.joint for one in params.pulls})
    return StepResult(
        replace(scene, clips=(*clips, _as_clip(scene, made.nodes, params))),
        f"“{params.name}”: {counted(touched, 'joint')} posed",
        (
            Evidence("joints posed", touched),
            Evidence("short of where it was pulled", round(100 * _short_of(made, params), 2), "cm"),
        ),
    )


def start_of(scene: Scene, params: Pose) -> Scene:
    """The scene as the pose begins; raises `UsageError` for a clip that is not there."""
    return posed(scene, scene.clips[chosen_clips(scene, [params.clip])[0]], params.at) if params.clip else scene


def stands(start: Scene, params: Pose, context: Context) -> Scene:
    """The scene as the pose has it, from where it begins; raises `UsageError` for a joint that is not there."""
    made = start
    for one in params.turns:
        made = _turned(made, chosen_joint(start, one.joint, "turns"), one.turn)
    for pull in params.pulls:
        context.check()
        made = _pulled(made, chosen_joint(start, pull.joint, "pulls"), pull.to)
    nodes = [_between(a, b, params.share / 100) for a, b in zip(start.nodes, made.nodes, strict=True)]
    return replace(made, nodes=tuple(nodes))


def _short_of(made: Scene, params: Pose) -> float:
    """Metres that the farthest joint is from where it was pulled."""
    world = world_from_local(made)
    apart = [world[chosen_joint(made, one.joint, "pulls"), :3, 3] - np.array(one.to) for one in params.pulls]
    return max((float(np.linalg.norm(one)) for one in apart), default=0.0)


def _with(scene: Scene, changed: dict[int, Any]) -> Scene:
    nodes = list(scene.nodes)
    for index, values in changed.items():
        nodes[index] = replace(nodes[index], matrix=None, **values)
    return replace(scene, nodes=tuple(nodes))


def _turned(scene: Scene, index: int, turn: Sequence[float]) -> Scene:
    further = turns_of_euler(np.array([turn], np.float64))
    turned = products(np.array([scene.nodes[index].rotation], np.float64), further)[0]
    return _with(scene, {index: {"rotation": _four(turned)}})


def _pulled(scene: Scene, index: int, to: Vec3) -> Scene:
    world, limb = world_from_local(scene), limb_to(scene, index)
    if limb is not None:
        turns = reached(scene, limb, world[None], np.array([to], np.float64))
        return _with(scene, {node: {"rotation": _four(rows[0])} for node, rows in turns.items()})
    up = parents_of(scene)[index]
    into = np.linalg.pinv(world[up]) if up >= 0 else np.eye(4)
    there = world[index].copy()
    there[:3, 3] = to
    nodes = list(scene.nodes)
    nodes[index] = placed_by(nodes[index], into @ there)
    return replace(scene, nodes=tuple(nodes))


def _four(values: DoubleArray) -> Vec4:
    x, y, z, w = (float(v) for v in values / np.linalg.norm(values))
    return x, y, z, w


def _between(start: Node, end: Node, share: float) -> Node:
    if start is end or share >= 1:
        return end
    turn = slerps(np.array([start.rotation]), np.array([end.rotation]), np.array([share]))[0]
    x, y, z = (a + (b - a) * share for a, b in zip(start.translation, end.translation, strict=True))
    return replace(end, rotation=_four(turn), translation=(x, y, z))


def _as_clip(scene: Scene, nodes: Sequence[Node], params: Pose) -> Clip:
    """One key for all that stands otherwise than at rest, and for what the clip that it starts from moves."""
    base = [scene.clips[n] for n in chosen_clips(scene, [params.clip])[:1]] if params.clip else []
    keyed = {(c.node, c.path) for clip in base for c in clip.channels if c.path != "weights"}
    paths: tuple[ChannelPath, ...] = ("translation", "rotation", "scale")
    channels = [
        laid(index, path, np.zeros(1), np.array([getattr(now, path)], np.float64))
        for index, (rest, now) in enumerate(zip(scene.nodes, nodes, strict=True))
        for path in paths
        if getattr(rest, path) != getattr(now, path) or (index, path) in keyed
    ]
    return Clip(params.name, tuple(channels))

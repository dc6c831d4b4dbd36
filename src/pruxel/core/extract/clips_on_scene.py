"""Clips that stand by themselves put on a scene that has their joints, parts and materials."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from pruxel.core.base.arrays import DoubleArray, frozen
from pruxel.core.binary.functions.rotations import times as after
from pruxel.core.binary.functions.rotations import unit_turns
from pruxel.core.extract.clips import LooseClip
from pruxel.core.geometry.transforms import matrices_of, turns_of
from pruxel.core.scene.model import (
    Clip,
    ClipChannel,
    Interpolation,
    LookChannel,
    Node,
    Scene,
    ShownChannel,
)
from pruxel.core.scene.walk import parents_of, world_from_local

# The node that a track of no joint moves: the whole model.
_ROOT_NAME = "root path"


def with_clips(scene: Scene, clips: tuple[LooseClip, ...]) -> tuple[Scene, float]:
    """The scene with those clips, and the share of their joints that it has (0 to 1). Tracks without a joint go.

    Joints are met by name, those given by number in the order of the scene's first skin.
    """
    wanted = {track.joint for clip in clips for track in clip.tracks if track.material is None}
    scene = _with_root(scene) if None in wanted else scene
    find = joint_finder(scene)
    found = ((joint, find(_ROOT_NAME if joint is None else joint)) for joint in wanted)
    places = {joint: place for joint, place in found if place is not None}
    material = _material_finder(scene)
    made = []
    for clip in clips:
        channels, shown, looks = list[ClipChannel](), list[ShownChannel](), list[LookChannel]()
        for t in clip.tracks:
            if not len(t.times):
                continue
            how: Interpolation = "STEP" if t.stepped else "LINEAR"
            if t.material is not None:
                number = material(t.material)
                if number is not None:
                    looks.append(LookChannel(number, t.path, t.times, t.values, interpolation=how))  # type: ignore[arg-type]
            elif t.joint in places and t.path == "visible":
                shown.append(ShownChannel(places[t.joint], t.times, t.values))
            elif t.joint in places:
                channels.append(ClipChannel(places[t.joint], t.path, t.times, t.values, interpolation=how))  # type: ignore[arg-type]
        if channels or shown or looks:
            relative = _from_rest(scene, tuple(channels)) if clip.relative_to == "rest" else tuple(channels)
            relative = _from_model(scene, relative) if clip.relative_to == "model" else relative
            made.append(Clip(clip.name, relative, shown=tuple(shown), looks=tuple(looks), origin=clip.origin))
    share = len(places) / len(wanted) if wanted else 0.0
    return replace(scene, clips=scene.clips + tuple(made)), share


def lacking(scene: Scene, clips: Sequence[LooseClip]) -> list[str]:
    """The names, or numbers, of the joints that clips move and a scene does not have, in their order."""
    find = joint_finder(scene)
    told = dict.fromkeys(t.joint for clip in clips for t in clip.tracks if t.material is None and t.joint is not None)
    return [str(joint) for joint in told if find(joint) is None]


def joint_finder(scene: Scene) -> Callable[[str | int], int | None]:
    """What gives the node that a joint's name, or its number in the order of the scene's first skin, means."""
    by_name = {node.name: index for index, node in reversed(list(enumerate(scene.nodes)))}
    in_order = scene.skins[0].joints if scene.skins else ()

    def find(joint: str | int) -> int | None:
        if isinstance(joint, str):
            return by_name.get(joint)
        return in_order[joint] if 0 <= joint < len(in_order) else None

    return find


def _material_finder(scene: Scene) -> Callable[[str | int], int | None]:
    by_name = {one.name: n for n, one in reversed(list(enumerate(scene.materials)))}

    def find(material: str | int) -> int | None:
        if isinstance(material, str):
            return by_name.get(material)
        return material if 0 <= material < len(scene.materials) else None

    return find


def _with_root(scene: Scene) -> Scene:
    """The scene with a node above its joints that moves the whole model; there is one for all clips."""
    if any(scene.nodes[root].name == _ROOT_NAME for root in scene.roots):
        return scene
    above = parents_of(scene)
    joints = {joint for skin in scene.skins for joint in skin.joints}
    tops = {root for root in scene.roots if not joints or any(_stands_below(joint, root, above) for joint in joints)}
    path = Node(_ROOT_NAME, children=tuple(root for root in scene.roots if root in tops), role="helper")
    roots = (*(root for root in scene.roots if root not in tops), len(scene.nodes))
    return replace(scene, nodes=(*scene.nodes, path), roots=roots)


def _stands_below(node: int, top: int, above: Sequence[int]) -> bool:
    while node >= 0 and node != top:
        node = above[node]
    return node == top


def _from_rest(scene: Scene, channels: tuple[ClipChannel, ...]) -> tuple[ClipChannel, ...]:
    """Keys that add to the pose at rest → keys relative to the parent."""
    found = []
    for channel in channels:
        node, values = scene.nodes[channel.node], channel.values.astype(np.float64)
        if channel.path == "translation":
            values = values + np.asarray(node.translation)
        elif channel.path == "scale":
            values = values * np.asarray(node.scale)
        elif channel.path == "rotation":
            values = after(np.asarray(node.rotation), values)
        found.append(replace(channel, values=frozen(values.astype(np.float32))))
    return tuple(found)


def _from_model(scene: Scene, channels: tuple[ClipChannel, ...]) -> tuple[ClipChannel, ...]:
    """Keys in the model's space → keys relative to the parent joint, where joints share their times."""
    above = parents_of(scene)
    rest = world_from_local(scene)
    moving: dict[int, dict[str, ClipChannel]] = {}
    for channel in channels:
        moving.setdefault(channel.node, {})[channel.path] = channel
    worlds = {node: _world(rest[node], tracks) for node, tracks in moving.items()}
    found = []
    for node, tracks in moving.items():
        times, world = next(iter(tracks.values())).times, worlds[node]
        parent = above[node]
        over = worlds.get(parent, rest[parent][None] if parent >= 0 else np.eye(4)[None])
        if len(over) not in {1, len(world)}:
            continue
        # A parent that has no size at a key leaves nothing to be relative to: the nearest sensible answer will do.
        translation, rotation, scale = turns_of(np.linalg.pinv(over) @ world)
        for path, values in (("translation", translation), ("rotation", rotation), ("scale", scale)):
            found.append(ClipChannel(node, path, times, frozen(values.astype(np.float32))))  # type: ignore[arg-type]
    return tuple(found)


def _world(rest: DoubleArray, tracks: dict[str, ClipChannel]) -> DoubleArray:
    """(k, 4, 4) of one joint; what does not move stays as at rest."""
    place, turn, size = turns_of(rest)
    parts = [
        tracks[path].values.astype(np.float64) if path in tracks else still[None]
        for path, still in (("translation", place), ("rotation", turn), ("scale", size))
    ]
    most = max(len(part) for part in parts)
    whole = [part if len(part) == most else np.repeat(part[:1], most, axis=0) for part in parts]
    return matrices_of(whole[0], unit_turns(whole[1]), whole[2])

"""How a scene looks at a moment of a clip: what is to be seen, and what its materials are meanwhile."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from pruxel.core.scene.keys import at_times, with_keys
from pruxel.core.scene.materials import Material, TextureRef
from pruxel.core.scene.model import Clip, LookChannel, Node, Scene, ShownChannel
from pruxel.core.scene.pose import posed
from pruxel.core.scene.walk import every_in_order, parents_of

_OF_TEXTURES = {"offset": "offset", "tiling": "scale"}
TEXTURES = (
    "base_color_texture", "metallic_roughness_texture", "normal_texture", "occlusion_texture", "emissive_texture",
)  # fmt: skip


def at_moment(scene: Scene, clip: Clip, seconds: float) -> Scene:
    """The scene as it stands and looks at a time of a clip; skins and clips stay."""
    return looking(posed(scene, clip, seconds), clip, seconds)


def looking(scene: Scene, clip: Clip, seconds: float) -> Scene:
    """The scene as it looks at a time of a clip; where nothing of it says so, the very same nodes and materials."""
    return replace(
        scene,
        nodes=_seen(scene, clip, seconds) if clip.shown else scene.nodes,
        materials=_changed(scene.materials, clip.looks, seconds) if clip.looks else scene.materials,
    )


def hidden_nodes(scene: Scene, clip: Clip, seconds: float) -> set[int]:
    """The nodes that are not to be seen, or stand below one that is not."""
    above = parents_of(scene)
    told = {one.node for one in clip.shown if float(at_times(one, np.array([seconds]))[0, 0]) < 0.5}
    found = set[int]()
    for node in every_in_order(scene):
        if node in told or above[node] in found:
            found.add(node)
    return found


def shown_apart(clip: Clip, chains: Mapping[int, Collection[int]]) -> tuple[ShownChannel, ...]:
    """What a clip shows where nodes leave those above them: each is to be seen while all of its chain were.

    `chains` are, by node, the nodes whose tracks it goes by: itself and what was above it.
    """
    found = [one for one in clip.shown if one.node not in chains]
    for node, chain in chains.items():
        tracks = [one for one in clip.shown if one.node in chain]
        if not tracks:
            continue
        times = np.unique(np.concatenate([one.times for one in tracks])).astype(np.float64)
        rows = np.min([at_times(one, times) for one in tracks], axis=0)
        found.append(with_keys(replace(tracks[0], node=node), times, rows))
    return tuple(found)


def _seen(scene: Scene, clip: Clip, seconds: float) -> tuple[Node, ...]:
    gone = hidden_nodes(scene, clip, seconds)
    return tuple(
        replace(node, mesh=None, skin=None, weights=None, light=None) if n in gone else node
        for n, node in enumerate(scene.nodes)
    )


def _changed(materials: Sequence[Material], looks: Sequence[LookChannel], seconds: float) -> tuple[Material, ...]:
    found = list(materials)
    for track in looks:
        values = at_times(track, np.array([seconds]))[0].tolist()
        found[track.material] = with_look(found[track.material], track.path, values)
    return tuple(found)


def with_look(material: Material, path: str, values: list[float]) -> Material:
    """The material with one of its properties as a track has it; what leaves its range is brought back into it."""
    if path in _OF_TEXTURES:
        moved: dict[str, Any] = {}
        for slot in TEXTURES:
            ref: TextureRef | None = getattr(material, slot)
            if ref is not None:
                lies: dict[str, Any] = {_OF_TEXTURES[path]: (values[0], values[1])}
                moved[slot] = replace(ref, **lies)
        return replace(material, **moved)
    inside = [min(max(value, 0.0), 1.0) for value in values]
    changed: dict[str, Any] = {path: inside[0] if len(inside) == 1 else tuple(inside)}
    return replace(material, **changed)

"""What clips change beyond places and shapes: KHR_animation_pointer, and KHR_node_visibility for what is to be seen."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np

from pruxel.core.base.arrays import AnyArray, frozen
from pruxel.core.formats.gltf.buffers import SHAPES, Buffers
from pruxel.core.scene.materials import Material
from pruxel.core.scene.model import Clip

Json = dict[str, Any]
POINTER, VISIBILITY, _MOVED = "KHR_animation_pointer", "KHR_node_visibility", "KHR_texture_transform"
_FACTORS = {
    "base_color": "pbrMetallicRoughness/baseColorFactor",
    "emissive": "emissiveFactor",
    "roughness": "pbrMetallicRoughness/roughnessFactor",
    "metallic": "pbrMetallicRoughness/metallicFactor",
}
_TEXTURES = {
    "base_color_texture": "pbrMetallicRoughness/baseColorTexture",
    "metallic_roughness_texture": "pbrMetallicRoughness/metallicRoughnessTexture",
    "normal_texture": "normalTexture",
    "occlusion_texture": "occlusionTexture",
    "emissive_texture": "emissiveTexture",
}
_LIES = {"offset": "offset", "tiling": "scale"}
_NODE = re.compile(rf"/nodes/(\d+)/(translation|rotation|scale|weights|extensions/{VISIBILITY}/visible)")
_MATERIAL = re.compile(r"/materials/(\d+)/(.+)")


@dataclass(frozen=True)
class Pointed:
    """What a pointer means to us: a property of a node or of a material, by their number."""

    of: Literal["node", "material"]
    number: int
    path: Any


def meant_by(pointer: str) -> Pointed | None:
    """What a JSON pointer into a document moves; None for what no scene of ours has a track for."""
    node = _NODE.fullmatch(pointer)
    if node is not None:
        return Pointed("node", int(node[1]), "visible" if node[2].endswith("visible") else node[2])
    material = _MATERIAL.fullmatch(pointer)
    if material is None:
        return None
    rest = material[2]
    path = next((path for path, place in _FACTORS.items() if place == rest), None)
    if path is None:
        place, _, lie = rest.rpartition(f"/extensions/{_MOVED}/")
        path = next((path for path, said in _LIES.items() if said == lie and place in _TEXTURES.values()), None)
    return None if path is None else Pointed("material", int(material[1]), path)


def pointed_channels(clip: Clip, materials: Sequence[Material], buffers: Buffers) -> Iterator[tuple[Json, Json]]:
    """Samplers and targets of when a clip shows nodes, and of how it changes materials."""
    for shown in clip.shown:
        pointer = f"/nodes/{shown.node}/extensions/{VISIBILITY}/visible"
        seen = frozen((shown.values.reshape(-1) >= 0.5).astype(np.uint8))
        yield _sampler(buffers, shown.times, seen, "SCALAR", "STEP"), _target(pointer)
    for look in clip.looks:
        sampler = _sampler(buffers, look.times, look.values, SHAPES[look.values.shape[1]], look.interpolation)
        for place in _places(look.path, materials[look.material]):
            yield sampler, _target(f"/materials/{look.material}/{place}")


def _places(path: str, material: Material) -> list[str]:
    if path in _FACTORS:
        return [_FACTORS[path]]
    worn = [place for slot, place in _TEXTURES.items() if getattr(material, slot) is not None]
    return [f"{place}/extensions/{_MOVED}/{_LIES[path]}" for place in worn]


def _sampler(buffers: Buffers, times: AnyArray, values: AnyArray, shape: str, how: str) -> Json:
    return {
        "input": buffers.accessor(times, "SCALAR", bounds=True),
        "output": buffers.accessor(values, shape),
        "interpolation": how,
    }


def _target(pointer: str) -> Json:
    return {"path": "pointer", "extensions": {POINTER: {"pointer": pointer}}}


def said_where_pointed(document: Json, clips: Sequence[Clip]) -> None:
    """Write what pointers point at into the nodes and materials of a document: a pointer must lead to something."""
    for clip in clips:
        for shown in clip.shown:
            _extended(document["nodes"][shown.node], VISIBILITY, {"visible": True})
        for look in clip.looks:
            if look.path not in _LIES:
                continue
            material = document["materials"][look.material]
            for place in _TEXTURES.values():
                at: Any = material
                for key in place.split("/"):
                    at = at.get(key, {})
                if at:
                    _extended(at, _MOVED, {"offset": [0.0, 0.0], "rotation": 0.0, "scale": [1.0, 1.0]})


def _extended(at: Json, name: str, value: Json) -> None:
    at.setdefault("extensions", {}).setdefault(name, value)

"""One material of several that look alike: their maps in one texture each, with their factors painted in."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, fields, replace

import numpy as np

from pruxel.core.base.arrays import ByteArray, FloatArray
from pruxel.core.geometry.colors import linear_from_srgb, srgb_from_linear
from pruxel.core.images.encode import resized
from pruxel.core.images.packing import Packed, put
from pruxel.core.scene.channels import with_image
from pruxel.core.scene.materials import Filter, Material, Sampler, TextureRef, Wrap
from pruxel.core.scene.model import Scene
from pruxel.core.scene.render_images import texels
from pruxel.core.scene.uvs import MAIN_SLOTS
from pruxel.core.steps.repaint import drawn

MAPS = (*MAIN_SLOTS, "occlusion_texture")
# What is painted into maps, or belongs to one material alone.
_PAINTED = {
    "name", "base_color", "metallic", "roughness", "normal_scale", "occlusion_strength", "emissive",
    "emissive_strength", "extras", "unresolved", "origin", *MAPS,
}  # fmt: skip
_EMPTY = {
    "base_color_texture": (255, 255, 255, 255),
    "metallic_roughness_texture": (255, 255, 255, 255),
    "normal_texture": (128, 128, 255, 255),
    "emissive_texture": (255, 255, 255, 255),
    "occlusion_texture": (255, 255, 255, 255),
}


@dataclass(frozen=True, eq=False)
class Piece:
    """What surfaces use of the maps of a material (its number).

    size: width and height of the largest of them. Of maps at that size the texels from x, y on count, width and height
    of them; they may lie outside, where maps repeat.
    """

    material: int
    uv_set: int
    size: tuple[int, int]
    x: int
    y: int
    width: int
    height: int


def same_look(scene: Scene, number: int) -> tuple[str, ...]:
    """What must be the same for two materials to become one: how they are drawn, and all that has no map here."""
    material = scene.materials[number]
    looks = [f"{f.name}={getattr(material, f.name)!r}" for f in fields(material) if f.name not in _PAINTED]
    filters = {scene.textures[ref.texture].sampler.filter for slot in MAPS if (ref := getattr(material, slot))}
    return (*looks, *sorted(filters))


def wraps_of(scene: Scene, ref: TextureRef) -> tuple[Wrap, Wrap]:
    """How a texture goes on across its sides, and up and down."""
    sampler = scene.textures[ref.texture].sampler
    return sampler.wrap_u, sampler.wrap_v


def maps_of(scene: Scene, material: Material) -> dict[str, ByteArray]:
    """The texels (height, width, 4) of a material's maps, by slot."""
    refs = {slot: getattr(material, slot) for slot in MAPS}
    return {slot: texels(scene.images[scene.textures[r.texture].image]) for slot, r in refs.items() if r is not None}


def one_material(
    made: Scene, scene: Scene, pieces: Sequence[Piece], packed: Packed, gap: int
) -> tuple[Scene, Material]:
    """The scene `made` with the new maps of the pieces of `scene`, packed so, and the material that wears them.

    Maps that one of the materials has, or needs for its factors, are made; others stay away.
    """
    worn = [scene.materials[piece.material] for piece in pieces]
    first, uv_set = worn[0], pieces[0].uv_set
    name = first.name if len(pieces) == 1 else f"{first.name} and {len(pieces) - 1} more"
    refs = (getattr(m, slot) for m in worn for slot in MAPS)
    read: Filter = next((scene.textures[ref.texture].sampler.filter for ref in refs if ref is not None), "linear")
    strength = max(m.emissive_strength for m in worn)
    factors = [_factors(m, strength) for m in worn]
    material = replace(first, name=name, **dict.fromkeys(MAPS), unresolved=())  # type: ignore[arg-type]
    for slot in MAPS:
        shared = all(np.array_equal(f[slot], factors[0][slot]) for f in factors)
        if all(getattr(m, slot) is None for m in worn) and (shared or slot == "normal_texture"):
            continue
        sheet = np.full((packed.height, packed.width, 4), _EMPTY[slot], np.uint8)
        for piece, one, factor, place in zip(pieces, worn, factors, packed.at, strict=True):
            part = _used(maps_of(scene, one).get(slot), piece, slot)
            put(sheet, _painted(part, slot, factor[slot]), place, gap)
        # Between texels it is read as those were that it is made of.
        made, texture = with_image(made, drawn(f"{name} {_CALLED[slot]}", sheet), Sampler(filter=read))
        material = replace(material, **{slot: TextureRef(texture, uv_set=uv_set)}, **_NEUTRAL[slot])  # type: ignore[arg-type]
    if material.emissive_texture is not None:
        material = replace(material, emissive_strength=strength)
    return made, material


def _used(found: ByteArray | None, piece: Piece, slot: str) -> ByteArray:
    """The texels of a map that count, or of an empty one."""
    w, h = piece.size
    whole = np.full((h, w, 4), _EMPTY[slot], np.uint8) if found is None else resized(found, w, h)
    rows, columns = np.arange(piece.y, piece.y + piece.height) % h, np.arange(piece.x, piece.x + piece.width) % w
    part: ByteArray = whole[rows[:, None], columns[None, :]]
    return part


_CALLED = {
    "base_color_texture": "base colour", "metallic_roughness_texture": "metal and roughness",
    "normal_texture": "normals", "emissive_texture": "light", "occlusion_texture": "occlusion",
}  # fmt: skip
_NEUTRAL: dict[str, dict[str, object]] = {
    "base_color_texture": {"base_color": (1.0, 1.0, 1.0, 1.0)},
    "metallic_roughness_texture": {"metallic": 1.0, "roughness": 1.0},
    "normal_texture": {"normal_scale": 1.0},
    "emissive_texture": {"emissive": (1.0, 1.0, 1.0)},
    "occlusion_texture": {"occlusion_strength": 1.0},
}


def _factors(m: Material, strength: float) -> dict[str, FloatArray]:
    """What each map of a material is multiplied by, RGBA, linear; light as a share of the brightest of all."""
    light = np.array(m.emissive) * (m.emissive_strength / strength if strength else 0.0)
    every = {
        "base_color_texture": m.base_color,
        "metallic_roughness_texture": (1.0, m.roughness, m.metallic, 1.0),
        "normal_texture": (m.normal_scale, m.normal_scale, 1.0, 1.0),
        "emissive_texture": (*light, 1.0),
        "occlusion_texture": (m.occlusion_strength, 1.0, 1.0, 1.0),
    }
    return {slot: np.array(values, np.float32) for slot, values in every.items()}


def _painted(rgba: ByteArray, slot: str, factor: FloatArray) -> ByteArray:
    """The texels times a factor, in the way of their slot."""
    if bool((factor == 1).all()):
        return rgba
    values = rgba.astype(np.float32) / 255
    if slot in {"base_color_texture", "emissive_texture"}:
        values[..., :3] = srgb_from_linear(linear_from_srgb(values[..., :3]) * factor[:3])
        values[..., 3] *= factor[3]
    elif slot == "normal_texture":
        slopes = (values[..., :3] * 2 - 1) * factor[:3]
        values[..., :3] = (slopes / np.maximum(np.linalg.norm(slopes, axis=-1, keepdims=True), 1e-6) + 1) / 2
    elif slot == "occlusion_texture":
        values[..., 0] = 1 + (values[..., 0] - 1) * factor[0]
    else:
        values *= factor
    made: ByteArray = np.rint(np.clip(values, 0, 1) * 255).astype(np.uint8)
    return made

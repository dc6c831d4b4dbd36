"""Appearances → materials with the names of their textures."""

from __future__ import annotations

import math

import numpy as np

from pruxel.core.formats.loose_materials import LooseMaterial, Pair
from pruxel.core.formats.x3d.things import Thing
from pruxel.core.geometry.colors import linear_from_srgb
from pruxel.core.scene.materials import Material

_TEXTURES = {"baseTexture": "base_color", "diffuseTexture": "base_color", "normalTexture": "normal"}
_TEXTURES |= {"emissiveTexture": "emissive", "occlusionTexture": "occlusion"}
_TEXTURES |= {"metallicRoughnessTexture": "metallic_roughness"}


def material_in(appearance: Thing) -> Thing | None:
    """The material of an appearance."""
    return appearance.inner("Material", "PhysicalMaterial", "UnlitMaterial")


def loose_material(appearance: Thing, notes: list[str], *, double_sided: bool) -> LooseMaterial:
    """The material; colours of Material are shown ones, those of PhysicalMaterial linear, as the standard has them."""
    own = material_in(appearance)
    textures: dict[str, str] = {}
    moves: dict[str, tuple[Pair, Pair]] = {}
    for name, thing in [*appearance.below, *(own.below if own is not None else [])]:
        picture = thing.inner("ImageTexture") if thing.kind == "MultiTexture" else thing
        slot = _TEXTURES.get(name, "base_color" if name in {"", "texture"} else "")
        if picture is None or picture.kind != "ImageTexture":
            if thing.kind in {"PixelTexture", "MovieTexture"}:
                notes.append(f"not taken over: {thing.kind}")
            continue
        link = next((url for url in picture.texts("url") if "://" not in url), "")
        if slot and link:
            textures.setdefault(slot, link)
    moved = appearance.inner("TextureTransform")
    if moved is not None and "base_color" in textures:
        scale, offset = moved.numbers("scale", (1.0, 1.0)), moved.numbers("translation", (0.0, 0.0))
        center = moved.numbers("center", (0.0, 0.0))
        if moved.number("rotation", 0.0):
            notes.append("not taken over: the turn of a TextureTransform")
        # p' = scale (p + translation - center) + center, for a texture that is not turned.
        at = scale * (offset - center) + center
        moves["base_color"] = ((float(scale[0]), float(scale[1])), (float(at[0]), float(at[1])))
    name = appearance.name or ("" if own is None else own.name) or "material"
    return LooseMaterial(_material(name, own, double_sided=double_sided), textures, moves)


def _material(name: str, own: Thing | None, *, double_sided: bool) -> Material:
    if own is None:
        return Material(name, base_color=(1.0, 1.0, 1.0, 1.0), double_sided=double_sided)
    alpha = 1 - min(max(own.number("transparency", 0.0), 0.0), 1.0)
    glow = np.clip(own.numbers("emissiveColor", (0.0, 0.0, 0.0)), 0, 1)
    if own.kind == "PhysicalMaterial":
        color = np.clip(own.numbers("baseColor", (1.0, 1.0, 1.0)), 0, 1)
        metallic, roughness = own.number("metallic", 1.0), own.number("roughness", 1.0)
    else:
        shown = own.numbers("diffuseColor", (0.8, 0.8, 0.8)) if own.kind == "Material" else glow
        color, glow = (linear_from_srgb(np.clip(c, 0, 1)).astype(np.float64) for c in (shown, glow))
        metallic, roughness = 0.0, 1 - math.sqrt(min(max(own.number("shininess", 0.2), 0.0), 1.0))
    r, g, b = (float(value) for value in color)
    return Material(
        name,
        base_color=(r, g, b, alpha),
        metallic=min(max(metallic, 0.0), 1.0),
        roughness=min(max(roughness, 0.0), 1.0),
        emissive=(float(glow[0]), float(glow[1]), float(glow[2])),
        alpha_mode="BLEND" if alpha < 1 else "OPAQUE",
        unlit=own.kind == "UnlitMaterial",
        double_sided=double_sided,
    )

"""Specular and gloss → metal and roughness, and what of the specular colour could not be kept."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic import Field

from pruxel.core.base.arrays import ByteArray, FloatArray
from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.geometry.colors import linear_from_srgb, srgb_from_linear
from pruxel.core.images.encode import resized
from pruxel.core.images.speculars import metals_of
from pruxel.core.scene.channels import with_image, with_map
from pruxel.core.scene.edit import drop_unused
from pruxel.core.scene.materials import Sampler
from pruxel.core.scene.model import Scene
from pruxel.core.scene.render_images import texels
from pruxel.core.steps.choose_materials import chosen_materials
from pruxel.core.steps.references import Materials, Share, TextureName
from pruxel.core.steps.registry import Params, StepResult, step
from pruxel.core.steps.repaint import drawn, image_named


class SpecularToMetal(Params):
    """Of which materials, and where specular colour and gloss are."""

    materials: Materials = ()
    specular: TextureName = Field("", title="Specular", description="the texture of specular colours; empty: grey")
    level: Share = Field(4.0, title="Grey", description="how much is thrown back where no texture says so")
    tinted: bool = Field(
        default=False, title="Tinted", description="the specular texture says how much; its colour is the base colour's"
    )
    gloss: Literal["its alpha", "a texture's red", "a texture's green", "a texture's blue", "a constant"] = Field(
        "its alpha", title="Gloss", description="where it is"
    )
    gloss_texture: TextureName = Field("", title="Gloss texture", description="where gloss is in one of its own")
    gloss_value: Share = Field(50.0, title="Gloss constant", description="where it is no texture's")


@step(
    "specular_to_metal",
    "Specular to metal",
    "Makes base colour, metal and roughness of diffuse, specular and gloss, and says what of the shine is lost.",
    SpecularToMetal,
)
def specular_to_metal(scene: Scene, params: SpecularToMetal, context: Context) -> StepResult:
    """Solve texel by texel; a material without a base colour texture is taken as its factor says."""
    context.check()
    shine = texels(image_named(scene, params.specular)) if params.specular else None
    other = texels(image_named(scene, params.gloss_texture)) if params.gloss_texture else None
    made, lost, numbers = scene, list[float](), chosen_materials(scene, params.materials)
    born: dict[tuple[int | None, tuple[float, ...]], tuple[int, int, float]] = {}
    for number in numbers:
        context.check()
        material = scene.materials[number]
        ref = material.base_color_texture
        old = None if ref is None else scene.textures[ref.texture].image
        key = (old, material.base_color[:3] if old is None else ())
        if key not in born:
            name = material.name if old is None else scene.images[old].name
            base = _plain(material.base_color) if old is None else texels(scene.images[old])
            height, width = (max(x.shape[k] for x in (base, shine, other) if x is not None) for k in (0, 1))
            pair, gone = _solved(resized(base, width, height), shine, other, params)
            sampler = Sampler() if ref is None else scene.textures[ref.texture].sampler
            made, first = with_image(made, drawn(f"{name} base colour", pair[0]), sampler)
            made, second = with_image(made, drawn(f"{name} metal and roughness", pair[1]), sampler)
            born[key] = (first, second, gone)
        first, second, gone = born[key]
        lost.append(gone)
        now = with_map(with_map(material, "base_color_texture", first), "metallic_roughness_texture", second)
        factor = material.base_color if old is not None else (1.0, 1.0, 1.0, material.base_color[3])
        now = replace(now, metallic=1.0, roughness=1.0, base_color=factor, specular=None)
        made = replace(made, materials=(*made.materials[:number], now, *made.materials[number + 1 :]))
    share = 100 * float(np.mean(lost)) if lost else 0.0
    return StepResult(
        drop_unused(made) if lost else scene, f"{counted(len(lost), 'material')}; {share:.1f} % of the shine lost",
        (Evidence("materials", len(lost)), Evidence("shine lost", float(f"{share:.3g}"), "%")),
    )  # fmt: skip


def _plain(color: tuple[float, ...]) -> ByteArray:
    shown = srgb_from_linear(np.array(color[:3], np.float32))
    return np.array([[[*np.rint(np.clip(shown, 0, 1) * 255), 255]]], np.uint8)


def _solved(
    base: ByteArray, shine: ByteArray | None, other: ByteArray | None, params: SpecularToMetal
) -> tuple[tuple[ByteArray, ByteArray], float]:
    """Base colour and metal-roughness texels, (height, width, 4) uint8, and how much of the shine is lost, 0 to 1."""
    height, width = base.shape[:2]
    diffuse = linear_from_srgb(base[..., :3].astype(np.float32) / 255)
    specular: FloatArray = np.full((height, width, 3), params.level / 100, np.float32)
    fitted = None if shine is None else resized(shine, width, height)
    if fitted is not None:
        specular = linear_from_srgb(fitted[..., :3].astype(np.float32) / 255)
    if params.tinted:
        specular = specular * diffuse / np.maximum(diffuse.max(axis=2, keepdims=True), 1e-4)
    found = metals_of(diffuse, specular.astype(np.float32))
    made = np.empty_like(base)
    made[..., :3] = np.rint(np.clip(srgb_from_linear(found.base), 0, 1) * 255)
    made[..., 3] = base[..., 3]
    packed = np.full_like(base, 255)
    packed[..., 1] = 255 - _gloss(fitted, other, params, width, height)
    packed[..., 2] = np.rint(found.metal * 255)
    return (made, packed), found.lost


def _gloss(
    shine: ByteArray | None, other: ByteArray | None, params: SpecularToMetal, width: int, height: int
) -> ByteArray:
    if params.gloss == "its alpha" and shine is not None:
        return shine[..., 3]
    if params.gloss.startswith("a texture") and other is not None:
        channel = ("red", "green", "blue").index(params.gloss.rsplit(" ", 1)[-1])
        return resized(other, width, height)[..., channel]
    return np.full((height, width), round(params.gloss_value * 2.55), np.uint8)

"""Tint by a mask: each channel of it is coloured as chosen."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Literal

from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.images.encode import resized
from pruxel.core.images.layers import Rgb, tinted
from pruxel.core.scene.channels import with_image, with_map
from pruxel.core.scene.edit import drop_unused
from pruxel.core.scene.model import Scene
from pruxel.core.scene.render_images import texels
from pruxel.core.steps.choose_materials import chosen_materials
from pruxel.core.steps.colors import rgb_of
from pruxel.core.steps.references import Color, Materials, TextureEntry, TextureName
from pruxel.core.steps.registry import Others, Params, StepResult, joining_step
from pruxel.core.steps.repaint import drawn, picture_of

Tint = Annotated[Color | Literal[""], Field(json_schema_extra={"format": "color"})]


class TintByMask(Params):
    """Which materials, by which mask, in which colours."""

    materials: Materials = ()
    mask: TextureName = Field("", title="Mask", description="the texture whose channels say where to colour")
    entry: TextureEntry = Field("", title="Mask of the sources", description="path of one that the model does not wear")
    red: Tint = Field("#b0443c", title="Red", description="the colour where the mask is red; empty: none")
    green: Tint = Field("", title="Green", description="the colour where the mask is green; empty: none")
    blue: Tint = Field("", title="Blue", description="the colour where the mask is blue; empty: none")
    alpha: Tint = Field("", title="Alpha", description="the colour where the mask's alpha is bright; empty: none")


@joining_step(
    "tint_by_mask",
    "Tint by a mask",
    "Colours the base colour of materials where a mask says so: one colour for each of its channels.",
    TintByMask,
)
def tint_by_mask(scene: Scene, params: TintByMask, context: Context, others: Others) -> StepResult:
    """Multiply base colours by the chosen ones. Materials that others share a texture with get one of their own."""
    context.check()
    if not params.mask and not params.entry:
        return StepResult(scene, "no mask is chosen", (Evidence("materials tinted", 0),))
    mask = picture_of(scene, params.mask, params.entry, others)
    colors: list[Rgb | None] = [
        rgb_of(color) if color else None for color in (params.red, params.green, params.blue, params.alpha)
    ]
    made, done, born = scene, 0, dict[int, int]()
    for number in chosen_materials(scene, params.materials):
        context.check()
        ref = scene.materials[number].base_color_texture
        if ref is None:
            continue
        old = scene.textures[ref.texture].image
        if old not in born:
            image = scene.images[old]
            base = texels(image)
            # The finer of the two counts: a mask is often smaller than what it colours.
            height, width = (max(a, b) for a, b in zip(base.shape[:2], mask.shape[:2], strict=True))
            rgba = tinted(resized(base, width, height), resized(mask, width, height), colors)
            sampler = scene.textures[ref.texture].sampler
            made, born[old] = with_image(made, drawn(f"{image.name} tinted", rgba), sampler)
        materials = list(made.materials)
        materials[number] = with_map(materials[number], "base_color_texture", born[old])
        made = replace(made, materials=tuple(materials))
        done += 1
    tints = sum(color is not None for color in colors)
    return StepResult(
        drop_unused(made) if done else scene, f"{counted(done, 'material')} tinted in {counted(tints, 'colour')}",
        (Evidence("materials tinted", done),),
    )  # fmt: skip

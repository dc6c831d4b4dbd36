"""Take a colour out: see-through where a texture has the colour that stands for nothing."""

from __future__ import annotations

from dataclasses import replace

from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.images.levels import without_color
from pruxel.core.scene.model import Scene
from pruxel.core.steps.choose_materials import chosen_materials
from pruxel.core.steps.colors import rgb_of
from pruxel.core.steps.references import Color, Materials, Share
from pruxel.core.steps.registry import Params, StepResult, step
from pruxel.core.steps.repaint import repainted


class KeyColor(Params):
    """Which colour of whose textures."""

    materials: Materials = ()
    color: Color = Field("#ff00ff", title="Colour", description="that stands for nothing")
    near: Share = Field(4.0, title="Within", description="of the way through all colours: gone wholly")
    soft: Share = Field(6.0, title="Soft", description="and so much farther: gone in part")
    cutoff: Share = Field(50.0, title="Cut-off", description="texels less opaque than this are not drawn")


@step(
    "key_color",
    "Take a colour out",
    "Makes the base colour see-through where it has a key colour, and cuts what is see-through from the surface.",
    KeyColor,
)
def key_color(scene: Scene, params: KeyColor, context: Context) -> StepResult:
    """Repaint the base colour textures of the chosen materials; a texture that others wear too changes for all."""
    chosen = chosen_materials(scene, params.materials)
    worn = {
        scene.images[scene.textures[ref.texture].image].name
        for k in chosen
        if (ref := scene.materials[k].base_color_texture) is not None
    }
    side = 3**0.5 / 100

    context.check()
    if not worn:
        return StepResult(scene, "no base colour texture to take a colour from", (Evidence("textures changed", 0),))
    made, count = repainted(
        scene, sorted(worn),
        lambda rgba: without_color(rgba, rgb_of(params.color), params.near * side, (params.near + params.soft) * side),
        context,
    )  # fmt: skip
    masked = tuple(
        replace(m, alpha_mode="MASK", alpha_cutoff=params.cutoff / 100)
        if k in chosen and m.base_color_texture is not None
        else m
        for k, m in enumerate(made.materials)
    )
    return StepResult(
        replace(made, materials=masked), f"{params.color} taken out of {counted(count, 'texture')}",
        (Evidence("textures changed", count),),
    )  # fmt: skip

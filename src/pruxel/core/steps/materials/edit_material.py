"""Edit materials: what shines through, both sides, colours, factors, glass, coats."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, Literal

from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.scene.materials import Clearcoat, Material, Sheen, Transmission
from pruxel.core.scene.model import Scene
from pruxel.core.steps.choose_materials import chosen_materials
from pruxel.core.steps.colors import linear_of
from pruxel.core.steps.references import Color, Materials, Share
from pruxel.core.steps.registry import Params, StepResult, step


class EditMaterial(Params):
    """What becomes of the materials; what is not given stays as it is."""

    materials: Materials = ()
    color: Color | None = Field(None, title="Colour", description="of the surface; textures are tinted by it")
    opacity: Share | None = Field(None, title="Opacity", description="how much the surface hides")
    alpha_mode: Literal["OPAQUE", "MASK", "BLEND"] | None = Field(
        None, title="What shines through", description="nothing; cut out at the cut-off; veiled by opacity"
    )
    cutoff: Share | None = Field(None, title="Cut-off", description="where less is hidden, the mask lets through")
    double_sided: bool | None = Field(None, title="Both sides", description="seen from behind too")
    metallic: Share | None = Field(None, title="Metal", description="how much it is metal")
    roughness: Share | None = Field(None, title="Roughness", description="how wide it spreads a reflection")
    emissive: Color | None = Field(None, title="Light", description="the colour that it shines in by itself")
    emissive_strength: float | None = Field(
        None, ge=0, le=1000, title="Strength of light", description="times its colour"
    )
    relief: float | None = Field(None, ge=-10, le=10, title="Relief", description="how strong the normal map is")
    glass: Share | None = Field(None, title="Glass", description="how much light goes through, without a veil")
    coat: Share | None = Field(None, title="Clear coat", description="a layer of varnish")
    sheen: Color | None = Field(None, title="Sheen", description="the colour of its rim, as of cloth")
    unlit: bool | None = Field(None, title="Unlit", description="shows its colour, whatever the light")


@step(
    "edit_material",
    "Edit materials",
    "Changes colours, opacity, sides, metal, roughness, light, glass, varnish or sheen of materials.",
    EditMaterial,
)
def edit_material(scene: Scene, params: EditMaterial, context: Context) -> StepResult:
    """Change the named materials wherever they are worn; raises `UsageError` when nothing is asked for."""
    context.check()
    asked = params.model_dump(exclude={"materials"}, exclude_none=True)
    if not asked:
        raise UsageError(
            ErrorCode.USAGE, "nothing is to be changed", expected="at least one value",
            found="none", hint="Give a colour, an opacity or another value.",
        )  # fmt: skip
    chosen = set(chosen_materials(scene, params.materials))
    edited = tuple(_edited(m, params) if k in chosen else m for k, m in enumerate(scene.materials))
    changed = sum(old != new for old, new in zip(scene.materials, edited, strict=True))
    return StepResult(
        replace(scene, materials=edited), f"{counted(changed, 'material')}: {', '.join(asked).replace('_', ' ')}",
        (Evidence("materials changed", changed), Evidence("materials chosen", len(chosen))),
    )  # fmt: skip


def _edited(material: Material, params: EditMaterial) -> Material:
    plain: dict[str, Any] = {
        "alpha_mode": params.alpha_mode, "double_sided": params.double_sided, "unlit": params.unlit,
        "emissive_strength": params.emissive_strength, "normal_scale": params.relief,
        "alpha_cutoff": _part(params.cutoff), "metallic": _part(params.metallic), "roughness": _part(params.roughness),
        "emissive": None if params.emissive is None else linear_of(params.emissive),
    }  # fmt: skip
    edited = replace(material, **{key: value for key, value in plain.items() if value is not None})
    r, g, b, a = material.base_color
    if params.color is not None:
        r, g, b = linear_of(params.color)
    edited = replace(edited, base_color=(r, g, b, a if params.opacity is None else params.opacity / 100))
    if params.glass is not None:
        edited = replace(edited, transmission=replace(edited.transmission or Transmission(), factor=params.glass / 100))
    if params.coat is not None:
        edited = replace(edited, clearcoat=replace(edited.clearcoat or Clearcoat(), factor=params.coat / 100))
    if params.sheen is not None:
        color = linear_of(params.sheen)
        edited = replace(edited, sheen=replace(edited.sheen or Sheen(roughness=0.5), color=color))
    return edited


def _part(share: float | None) -> float | None:
    return None if share is None else share / 100

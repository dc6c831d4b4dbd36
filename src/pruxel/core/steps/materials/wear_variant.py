"""Dress a model as one of its variants."""

from __future__ import annotations

from dataclasses import replace

from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.scene.edit import drop_unused, edit_meshes
from pruxel.core.scene.measure import variant_names
from pruxel.core.scene.model import Mesh, Primitive, Scene
from pruxel.core.steps.choose_parts import chosen_parts
from pruxel.core.steps.references import Parts, VariantName
from pruxel.core.steps.registry import Params, StepResult, step


class WearVariant(Params):
    """Which variant, and on which parts; none named means all."""

    variant: VariantName = Field(..., title="Variant", description="the name of the variant")
    parts: Parts = ()
    others: bool = Field(default=False, title="Keep the others", description="leave the other variants to choose from")


@step(
    "wear_variant",
    "Wear a variant",
    "Gives the parts the materials that they have in one of the model's variants.",
    WearVariant,
)
def wear_variant(scene: Scene, params: WearVariant, context: Context) -> StepResult:
    """Exchange the materials of the chosen parts; raises `UsageError` for a variant that is not there."""
    context.check()
    known = variant_names(scene.meshes)
    if params.variant not in known:
        raise UsageError(
            ErrorCode.USAGE,
            f"there is no variant called '{params.variant}'",
            expected=f"one of {', '.join(known)}" if known else "a model that has variants",
            found=params.variant,
        )
    nodes = chosen_parts(scene, params.parts)
    changed = 0

    def dressed(primitive: Primitive) -> Primitive:
        nonlocal changed
        worn = next((one.material for one in primitive.dressings if one.variant == params.variant), None)
        changed += worn is not None and worn != primitive.material
        left = primitive.dressings if params.others else ()
        return replace(primitive, material=primitive.material if worn is None else worn, dressings=left)

    def change(mesh: Mesh) -> Mesh:
        return replace(mesh, primitives=tuple(dressed(p) for p in mesh.primitives))

    result = drop_unused(edit_meshes(scene, nodes, change))
    return StepResult(
        result,
        f"{counted(changed, 'material')} as in \u201c{params.variant}\u201d",
        (Evidence("materials exchanged", changed),),
    )

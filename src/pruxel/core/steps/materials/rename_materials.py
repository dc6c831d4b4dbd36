"""Rename materials: text in their names replaced."""

from __future__ import annotations

from dataclasses import replace

from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.scene.model import Scene
from pruxel.core.steps.choose_materials import chosen_materials
from pruxel.core.steps.new_names import renumbered
from pruxel.core.steps.references import Materials, NameText
from pruxel.core.steps.registry import Params, StepResult, step


class RenameMaterials(Params):
    """Text that is replaced, or a pattern that makes new names."""

    materials: Materials = ()
    find: NameText = Field("", title="Find", description="text in the name that is replaced")
    put: NameText = Field("", title="Put", description="what stands in its place")
    pattern: NameText = Field(
        "{name}", min_length=1, title="Pattern",
        description="the new name: {name} and {number} stand for themselves",
    )  # fmt: skip


@step(
    "rename_materials",
    "Rename materials",
    "Gives materials new names: text replaced, or by a pattern with a number.",
    RenameMaterials,
)
def rename_materials(scene: Scene, params: RenameMaterials, context: Context) -> StepResult:
    """Rename the chosen materials; raises `UsageError` for one that would have no name."""
    context.check()
    chosen = chosen_materials(scene, params.materials)
    materials = list(scene.materials)
    names = renumbered([materials[index].name for index in chosen], params.find, params.put, params.pattern)
    for index, name in zip(chosen, names, strict=True):
        materials[index] = replace(materials[index], name=name)
    renamed = sum(a.name != b.name for a, b in zip(scene.materials, materials, strict=True))
    return StepResult(
        replace(scene, materials=tuple(materials)), f"{renamed:,} of {len(chosen):,} materials renamed",
        (Evidence("materials renamed", renamed),),
    )  # fmt: skip

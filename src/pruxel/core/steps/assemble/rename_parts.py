"""Rename parts by a pattern."""

from __future__ import annotations

from dataclasses import replace

from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.scene.edit import unique_names
from pruxel.core.scene.model import Scene
from pruxel.core.steps.choose_parts import chosen_parts
from pruxel.core.steps.new_names import new_name, numbered
from pruxel.core.steps.references import NameText, Parts
from pruxel.core.steps.registry import Params, StepResult, step


class RenameParts(Params):
    """Text that is replaced in names, or a pattern that makes new ones."""

    parts: Parts = ()
    find: NameText = Field("", title="Find", description="text in the name that is replaced")
    put: NameText = Field("", title="Put", description="what stands in its place")
    pattern: NameText = Field(
        "{name}", min_length=1, title="Pattern",
        description="the new name: {name}, {number}, {material} and {parent} stand for themselves",
    )  # fmt: skip


@step(
    "rename_parts",
    "Rename parts",
    "Gives parts new names: text replaced, or by a pattern with number, material or what stands above.",
    RenameParts,
)
def rename_parts(scene: Scene, params: RenameParts, context: Context) -> StepResult:
    """Rename the chosen parts; a name that is taken gets a number behind it."""
    context.check()
    chosen = chosen_parts(scene, params.parts)
    above = {child: node.name for node in scene.nodes for child in node.children}
    names = {index: node.name for index, node in enumerate(scene.nodes)}
    for number, index in enumerate(chosen, 1):
        mesh = scene.nodes[index].mesh
        assert mesh is not None
        material = next((p.material for p in scene.meshes[mesh].primitives if p.material is not None), None)
        values = {
            "number": numbered(number, len(chosen)),
            "material": scene.materials[material].name if material is not None else "plain",
            "parent": above.get(index, scene.name),
        }
        names[index] = new_name(names[index], params.find, params.put, params.pattern, values)
    nodes = unique_names([replace(n, name=names[k]) if names[k] != n.name else n for k, n in enumerate(scene.nodes)])
    renamed = {old.name: new.name for old, new in zip(scene.nodes, nodes, strict=True) if old.name != new.name}
    return StepResult(
        replace(scene, nodes=nodes), f"{len(renamed):,} of {len(chosen):,} parts renamed",
        (Evidence("parts renamed", len(renamed)),), renamed=renamed,
    )  # fmt: skip

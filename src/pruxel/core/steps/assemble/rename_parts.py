"""Rename parts by a pattern."""

from __future__ import annotations

from dataclasses import replace

from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.findings import Evidence
from pruxel.core.scene.edit import unique_names
from pruxel.core.scene.model import Scene
from pruxel.core.steps.choose_parts import chosen_parts
from pruxel.core.steps.references import NameText, Part
from pruxel.core.steps.registry import Params, StepResult, step

_PLACEHOLDERS = ("{name}", "{number}", "{material}", "{parent}")


class RenameParts(Params):
    """Text that is replaced in names, or a pattern that makes new ones."""

    parts: tuple[Part, ...] = Field((), title="Parts", description="names of the parts; none means all")
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
        name = names[index].replace(params.find, params.put) if params.find else names[index]
        mesh = scene.nodes[index].mesh
        assert mesh is not None
        material = next((p.material for p in scene.meshes[mesh].primitives if p.material is not None), None)
        title = scene.materials[material].name if material is not None else "plain"
        values = (name, f"{number:0{len(str(len(chosen)))}}", title, above.get(index, scene.name))
        made = params.pattern
        for placeholder, value in zip(_PLACEHOLDERS, values, strict=True):
            made = made.replace(placeholder, value)
        if not made.strip():
            raise UsageError(
                ErrorCode.USAGE, f"“{names[index]}” would have no name", field="put",
                expected="at least one letter", found=repr(made),
            )  # fmt: skip
        names[index] = made
    nodes = unique_names([replace(n, name=names[k]) if names[k] != n.name else n for k, n in enumerate(scene.nodes)])
    renamed = {old.name: new.name for old, new in zip(scene.nodes, nodes, strict=True) if old.name != new.name}
    return StepResult(
        replace(scene, nodes=nodes), f"{len(renamed):,} of {len(chosen):,} parts renamed",
        (Evidence("parts renamed", len(renamed)),), renamed=renamed,
    )  # fmt: skip

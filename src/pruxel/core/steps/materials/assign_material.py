"""Give parts a material: one that is there, or a new one of a colour."""

from __future__ import annotations

from dataclasses import replace

from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.scene.edit import drop_unused, edit_meshes
from pruxel.core.scene.materials import Material
from pruxel.core.scene.model import Mesh, Scene
from pruxel.core.steps.choose_faces import Faces, chosen_faces, on_faces
from pruxel.core.steps.choose_parts import chosen_parts
from pruxel.core.steps.colors import linear_of
from pruxel.core.steps.on_meshes import of_parts
from pruxel.core.steps.references import Color, MaterialName, Parts
from pruxel.core.steps.registry import Params, StepResult, step


class AssignMaterial(Params):
    """Which material, and what wears it."""

    parts: Parts = ()
    faces: Faces = ()
    material: MaterialName = Field(
        ..., min_length=1, max_length=200, title="Material", description="one that is there, or the name of a new one"
    )
    color: Color = Field("#b8b2a6", title="Colour", description="of a new one")


@step(
    "assign_material",
    "Assign a material",
    "Gives the chosen parts one material: one that is there, or a new one of a plain colour.",
    AssignMaterial,
)
def assign_material(scene: Scene, params: AssignMaterial, context: Context) -> StepResult:
    """Exchange the materials of the chosen parts; those that nothing wears any more go."""
    context.check()
    known = next((k for k, m in enumerate(scene.materials) if m.name == params.material), None)
    if known is None:
        r, g, b = linear_of(params.color)
        fresh = Material(params.material, base_color=(r, g, b, 1.0), roughness=0.7)
        scene, known = replace(scene, materials=(*scene.materials, fresh)), len(scene.materials)
    number = known
    if params.faces:
        chosen = chosen_faces(scene, params.faces)
        count = sum(int(mask.sum()) for mask in chosen.values())
        dressed = drop_unused(on_faces(scene, chosen, lambda p: replace(p, material=number, dressings=())))
        return StepResult(
            dressed, f"“{params.material}” on {counted(count, 'face')} of {of_parts(len(chosen))}",
            (Evidence("faces", count), Evidence("materials left", len(dressed.materials))),
        )  # fmt: skip
    nodes = chosen_parts(scene, params.parts)

    def change(mesh: Mesh) -> Mesh:
        worn = tuple(replace(p, material=number, dressings=()) for p in mesh.primitives)
        return replace(mesh, primitives=worn, strokes=tuple(replace(s, material=number) for s in mesh.strokes))

    changed = drop_unused(edit_meshes(scene, nodes, change))
    return StepResult(
        changed, f"“{params.material}” on {of_parts(len(nodes))}",
        (Evidence("parts", len(nodes)), Evidence("materials left", len(changed.materials))),
    )  # fmt: skip

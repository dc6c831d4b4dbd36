"""Make tangents: what normal maps stand on, written down instead of left to the next program."""

from __future__ import annotations

from dataclasses import replace

from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.words import counted
from pruxel.core.geometry.normals import vertex_normals
from pruxel.core.geometry.tangents import vertex_tangents
from pruxel.core.scene.model import Mesh, Primitive, Scene
from pruxel.core.steps.on_meshes import Changed, measured, of_parts, on_meshes
from pruxel.core.steps.references import Parts
from pruxel.core.steps.registry import Params, StepResult, step


class MakeTangents(Params):
    """Of which parts, and along which coordinates."""

    parts: Parts = ()
    uv_set: int = Field(0, ge=0, le=15, title="Set", description="of texture coordinates that the normal map lies on")


@step(
    "make_tangents",
    "Make tangents",
    "Works out the tangents that normal maps stand on, along the texture coordinates; normals come first if they lack.",
    MakeTangents,
)
def make_tangents(scene: Scene, params: MakeTangents, context: Context) -> StepResult:
    """Tangents as glTF 2.0 defines them (section 3.7.2.1), anew where there are some; shapes lose theirs."""

    def one(p: Primitive) -> Primitive:
        context.check()
        normals = vertex_normals(p.positions, p.indices) if p.normals is None else p.normals
        tangents = vertex_tangents(p.positions, normals, p.uvs[params.uv_set], p.indices)
        return replace(
            p, normals=normals, tangents=tangents, targets=tuple(replace(t, tangents=None) for t in p.targets)
        )

    def change(mesh: Mesh) -> Changed:
        fitting = [params.uv_set < len(p.uvs) and len(p.indices) > 0 for p in mesh.primitives]
        made = tuple(one(p) if fits else p for p, fits in zip(mesh.primitives, fitting, strict=True))
        counts = {"surfaces with tangents": sum(fitting), "without such coordinates": len(fitting) - sum(fitting)}
        return replace(mesh, primitives=made), counts

    context.check()
    changed, counts, parts = on_meshes(scene, params.parts, change, context)
    words = f"tangents of {counted(counts['surfaces with tangents'], 'surface')} of {of_parts(parts)}"
    if counts["without such coordinates"]:
        words += f"; {counts['without such coordinates']:,} have no texture coordinates of that set"
    return StepResult(changed, words, measured(counts, ("surfaces with tangents", "without such coordinates")))

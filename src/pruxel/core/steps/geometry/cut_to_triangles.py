"""Forget polygons: each triangle becomes a face of its own."""

from __future__ import annotations

from dataclasses import replace

from pruxel.core.base.context import Context
from pruxel.core.base.words import counted
from pruxel.core.scene.model import Mesh, Scene
from pruxel.core.steps.on_meshes import Changed, measured, of_parts, on_meshes
from pruxel.core.steps.references import Parts
from pruxel.core.steps.registry import Params, StepResult, step


class CutToTriangles(Params):
    """Which parts."""

    parts: Parts = ()


@step(
    "cut_to_triangles",
    "Cut to triangles",
    "Makes every triangle a face of its own, for programs that want no polygons.",
    CutToTriangles,
)
def cut_to_triangles(scene: Scene, params: CutToTriangles, context: Context) -> StepResult:
    """Cut the polygons of the chosen parts where they are cut already; no vertex moves."""

    def change(mesh: Mesh) -> Changed:
        sizes = [p.face_sizes for p in mesh.primitives if p.face_sizes is not None]
        cut = tuple(replace(p, face_sizes=None) for p in mesh.primitives)
        return replace(mesh, primitives=cut), {
            "polygons cut": sum(int((s > 3).sum()) for s in sizes),
            "triangles": sum(len(p.indices) for p in mesh.primitives),
        }

    changed, counts, parts = on_meshes(scene, params.parts, change, context)
    return StepResult(
        changed, f"{counted(counts['polygons cut'], 'polygon')} of {of_parts(parts)} cut",
        measured(counts, ("polygons cut", "triangles")),
    )  # fmt: skip

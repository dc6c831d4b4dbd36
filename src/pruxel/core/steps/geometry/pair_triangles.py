"""Pair triangles into quadrilaterals, for programs that model and subdivide with them."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.words import counted
from pruxel.core.geometry.edges import twins
from pruxel.core.geometry.pairing import paired
from pruxel.core.geometry.polygons import face_sizes
from pruxel.core.scene.model import Mesh, Primitive, Scene
from pruxel.core.steps.on_meshes import Changed, measured, of_parts, on_meshes
from pruxel.core.steps.references import Degrees, Parts, Share
from pruxel.core.steps.registry import Params, StepResult, step


class PairTriangles(Params):
    """Of which parts, and what may become a quadrilateral."""

    parts: Parts = ()
    angle: Degrees = Field(30.0, ge=0, le=180, title="Bend", description="how far two triangles may turn to each other")
    corners: Share = Field(35.0, title="Right angles", description="how right its corners must be; 100 only rectangles")


@step(
    "pair_triangles",
    "Pair triangles",
    "Makes quadrilaterals of triangles, the best first; seams, materials and vertices stay as they are.",
    PairTriangles,
)
def pair_triangles(scene: Scene, params: PairTriangles, context: Context) -> StepResult:
    """Put two triangles behind each other as one polygon; what is drawn stays the same."""

    def one(p: Primitive) -> tuple[Primitive, int]:
        context.check()
        sizes = np.full(len(p.indices), 3) if p.face_sizes is None else p.face_sizes
        found = paired(
            p.positions, p.indices, twins(p.indices), sizes, float(np.deg2rad(params.angle)), params.corners / 100
        )
        count = len(sizes) - len(found.sizes)
        return (replace(p, indices=found.indices, face_sizes=face_sizes(found.sizes)), count) if count else (p, 0)

    def change(mesh: Mesh) -> Changed:
        made = [one(p) if len(p.indices) else (p, 0) for p in mesh.primitives]
        triangles = sum(len(p.indices) for p in mesh.primitives)
        return replace(mesh, primitives=tuple(p for p, _ in made)), {
            "quadrilaterals made": sum(count for _, count in made),
            "triangles looked at": triangles,
        }

    changed, counts, parts = on_meshes(scene, params.parts, change, context)
    made, seen = counts["quadrilaterals made"], counts["triangles looked at"]
    words = f"{counted(made, 'quadrilateral')} of {seen:,} triangles in {of_parts(parts)}"
    return StepResult(changed, words, measured(counts, ("quadrilaterals made", "triangles looked at")))

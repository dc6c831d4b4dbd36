"""Close holes."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from pydantic import Field

from pruxel.core.base.arrays import as_indices
from pruxel.core.base.context import Context
from pruxel.core.base.words import counted
from pruxel.core.geometry.edges import twins
from pruxel.core.geometry.holes import filled, rings
from pruxel.core.scene.model import Mesh, Primitive, Scene
from pruxel.core.scene.surface import surface_of, triangles_of_places
from pruxel.core.steps.on_meshes import Changed, measured, of_parts, on_meshes
from pruxel.core.steps.references import Parts, SamePlace
from pruxel.core.steps.registry import Params, StepResult, step


class FillHoles(Params):
    """Which holes."""

    parts: Parts = ()
    edges: int = Field(50, ge=3, le=10_000, title="Edges", description="holes with more edges around stay open")
    distance: SamePlace = 1e-6


@step(
    "fill_holes",
    "Fill holes",
    "Closes holes with triangles between the vertices around them; the larger openings stay.",
    FillHoles,
)
def fill_holes(scene: Scene, params: FillHoles, context: Context) -> StepResult:
    """Close rings of open edges of the chosen parts whose edges are of one material."""

    def change(mesh: Mesh) -> Changed:
        whole = surface_of(mesh)
        corners, _ = triangles_of_places(whole, params.distance)
        twin = twins(corners)
        more: list[list[np.ndarray]] = [[] for _ in mesh.primitives]
        mixed = 0
        for ring in rings(corners, twin, params.edges):
            context.check()
            owners = np.unique(np.searchsorted(whole.faces_from, ring // 3, side="right") - 1)
            if len(owners) > 1:
                mixed += 1
                continue
            [own] = owners.tolist()
            more[own].append(filled(whole.positions, whole.indices, ring) - whole.vertices_from[own])
        made = [_with(p, new) for p, new in zip(mesh.primitives, more, strict=True)]
        return replace(mesh, primitives=tuple(made)), {
            "holes filled": sum(map(len, more)),
            "new triangles": sum(len(new) for each in more for new in each),
            "left: between materials": mixed,
        }

    changed, counts, parts = on_meshes(scene, params.parts, change, context)
    return StepResult(
        changed, f"{counted(counts['holes filled'], 'hole')} of {of_parts(parts)} filled",
        measured(counts, ("holes filled", "new triangles", "left: between materials")),
    )  # fmt: skip


def _with(primitive: Primitive, new: list[np.ndarray]) -> Primitive:
    """The primitive with more triangles, each a face of its own."""
    if not new:
        return primitive
    indices = np.concatenate([primitive.indices, *new])
    sizes = primitive.face_sizes
    if sizes is not None:
        sizes = np.concatenate([sizes, np.full(len(indices) - len(primitive.indices), 3, np.uint32)])
    return replace(primitive, indices=as_indices(indices), face_sizes=sizes)

"""Weld: what stands at one place becomes one place, and what is alike there one vertex."""

from __future__ import annotations

from dataclasses import replace
from math import radians, sin

import numpy as np
from pydantic import Field

from pruxel.core.base.arrays import AnyArray, frozen
from pruxel.core.base.context import Context
from pruxel.core.geometry.places import places
from pruxel.core.geometry.welding import alike
from pruxel.core.scene.model import Mesh, Primitive, Scene
from pruxel.core.scene.surface import gathered, remeshed, surface_of, with_faces
from pruxel.core.scene.vertex_rows import vertex_rows
from pruxel.core.steps.on_meshes import Changed, measured, of_parts, on_meshes
from pruxel.core.steps.references import Degrees, Metres, Parts
from pruxel.core.steps.registry import Params, StepResult, step


class WeldVertices(Params):
    """How near, and how alike."""

    parts: Parts = ()
    distance: Metres = Field(
        1e-5, ge=0, le=10, title="Distance", description="vertices no farther apart stand at one place"
    )
    normals: Degrees = Field(
        1.0, ge=0, le=180, title="Normals", description="normals may differ by this much and still be alike"
    )
    uvs: float = Field(
        1e-4, ge=0, le=1, title="Texture coordinates", description="how far apart they may lie and still be alike"
    )


@step(
    "weld_vertices",
    "Weld vertices",
    "Brings near vertices to one place and makes one of those that are alike; seams of textures and edges stay.",
    WeldVertices,
)
def weld_vertices(scene: Scene, params: WeldVertices, context: Context) -> StepResult:
    """Weld the meshes of the chosen parts, across their materials; faces that lose their area go."""

    def change(mesh: Mesh) -> Changed:
        whole = surface_of(mesh)
        first, place = places(whole.positions, params.distance)
        made = [
            _welded(p, place[a:b], frozen(whole.positions[first[place[a:b]]]), params)
            for p, a, b in zip(mesh.primitives, whole.vertices_from[:-1], whole.vertices_from[1:], strict=True)
        ]
        return remeshed(mesh, made), {
            "vertices before": len(whole.positions),
            "vertices after": sum(len(p.positions) for p in made),
            "places": len(first),
            "faces that lost their area": len(whole.indices) - sum(len(p.indices) for p in made),
        }

    changed, counts, parts = on_meshes(scene, params.parts, change, context)
    before, after = counts["vertices before"], counts["vertices after"]
    return StepResult(
        changed, f"{before:,} vertices → {after:,} in {of_parts(parts)}",
        measured(counts, ("vertices before", "vertices after", "places", "faces that lost their area")),
    )  # fmt: skip


def _welded(primitive: Primitive, place: AnyArray, positions: AnyArray, params: WeldVertices) -> Primitive:
    """One primitive with its vertices at their places (n, 3), those that are alike made one."""
    moved = replace(primitive, positions=positions)
    corners = place[moved.indices]
    a, b, c = corners.T
    moved = with_faces(moved, (a != b) & (b != c) & (c != a))
    rows, most = vertex_rows(
        moved, direction=2 * sin(radians(params.normals) / 2), uv=params.uvs, shift=params.distance
    )
    _, own = np.unique(place, return_inverse=True)
    first, new_of_old = alike(own.astype(np.uint32), rows, most)
    return gathered(moved, first, new_of_old[moved.indices], moved.face_sizes)

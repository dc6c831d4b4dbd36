"""Make the faces of every piece look to one side."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from pruxel.core.base.arrays import AnyArray, as_indices
from pruxel.core.base.context import Context
from pruxel.core.geometry.edges import twins
from pruxel.core.geometry.measure import triangle_areas
from pruxel.core.geometry.winding import agreeing
from pruxel.core.scene.model import Mesh, Primitive, Scene
from pruxel.core.scene.surface import polygon_of_face, surface_of, triangles_of_places
from pruxel.core.steps.on_meshes import Changed, measured, of_parts, on_meshes
from pruxel.core.steps.references import Parts, SamePlace
from pruxel.core.steps.registry import Params, StepResult, step


class AgreeFaces(Params):
    """Which parts, and how near vertices must stand to belong together."""

    parts: Parts = ()
    distance: SamePlace = 1e-6


@step(
    "agree_faces",
    "Make faces agree",
    "Turns single faces around so that each piece looks to one side: the side on which most of its area lies.",
    AgreeFaces,
)
def agree_faces(scene: Scene, params: AgreeFaces, context: Context) -> StepResult:
    """Turn what looks the other way than its neighbours. Normals stay: they are not what is wrong."""

    def change(mesh: Mesh) -> Changed:
        whole = surface_of(mesh)
        corners, _ = triangles_of_places(whole, params.distance)
        found = agreeing(corners, twins(corners), triangle_areas(whole.positions, whole.indices))
        turned = [_turned(p, turn) for p, turn in zip(mesh.primitives, whole.by_primitive(found.turn), strict=True)]
        return replace(mesh, primitives=tuple(turned)), {
            "faces turned": int(found.turn.sum()),
            "faces": len(corners),
            "edges that cannot agree": found.contradictions,
        }

    changed, counts, parts = on_meshes(scene, params.parts, change, context)
    return StepResult(
        changed,
        f"{counts['faces turned']:,} of {counts['faces']:,} faces turned in {of_parts(parts)}",
        measured(counts, ("faces turned", "faces", "edges that cannot agree")),
    )


def _turned(primitive: Primitive, turn: AnyArray) -> Primitive:
    """The primitive with some triangles (m,) turned; a polygon turns whole, by its first triangle."""
    if primitive.face_sizes is not None:
        polygon = polygon_of_face(primitive)
        first = np.searchsorted(polygon, np.arange(len(primitive.face_sizes)))
        turn = turn[first][polygon]
    if not bool(turn.any()):
        return primitive
    return replace(
        primitive, indices=as_indices(np.where(turn[:, None], primitive.indices[:, ::-1], primitive.indices))
    )

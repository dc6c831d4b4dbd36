"""Remove faces that should not be: without area, doubled, hidden inside, in crumbs; and vertices that no face uses."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from pruxel.core.base.arrays import AnyArray
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.geometry.faults import doubled, hidden, without_area
from pruxel.core.geometry.pieces import pieces
from pruxel.core.scene.model import Mesh, Scene
from pruxel.core.scene.surface import Surface, part_of, remeshed, surface_of, triangles_of_places
from pruxel.core.scene.walk import parts
from pruxel.core.steps.choose_faces import Faces, chosen_faces, on_faces
from pruxel.core.steps.on_meshes import Changed, measured, of_parts, on_meshes
from pruxel.core.steps.references import Parts, SamePlace
from pruxel.core.steps.registry import Params, StepResult, step

What = Literal["without area", "doubled", "doubled, both sides", "hidden inside", "crumbs"]
_COUNTED = ("faces removed", "faces left", "vertices removed")


class RemoveFaces(Params):
    """What is to go."""

    parts: Parts = ()
    faces: Faces = ()
    what: What = Field(
        "without area",
        title="What goes",
        description="where no faces are chosen: lines and points; faces that stand twice, also as two sides; "
        "what no ray from the open reaches; "
        "pieces of few faces",
    )
    distance: SamePlace = 1e-6
    rays: int = Field(96, ge=16, le=1024, title="Rays", description="how many look for the open from a hidden face")
    crumb: int = Field(4, ge=1, le=100_000, title="Faces of a crumb", description="pieces of no more faces are crumbs")


@step(
    "remove_faces",
    "Remove faces",
    "Takes away faces without area, doubled ones, those hidden inside or crumbs, and vertices that no face uses.",
    RemoveFaces,
)
def remove_faces(scene: Scene, params: RemoveFaces, context: Context) -> StepResult:
    """Remove faces of the chosen parts, or the chosen faces; raises `UsageError` when nothing would be left."""
    if params.faces:
        context.check()
        faces = chosen_faces(scene, params.faces)
        count = sum(int(mask.sum()) for mask in faces.values())
        made = on_faces(scene, faces, lambda _: None)
        _refuse_nothing(made, count, "of those chosen")
        return StepResult(made, f"{count:,} chosen faces removed", (Evidence("faces removed", count),))

    def change(mesh: Mesh) -> Changed:
        whole = surface_of(mesh)
        gone = _gone(whole, params) if len(whole.indices) else np.zeros(0, bool)
        made = [part_of(p, ~mine) for p, mine in zip(mesh.primitives, whole.by_primitive(gone), strict=True)]
        return remeshed(mesh, made), {
            "faces removed": int(gone.sum()),
            "faces left": len(gone) - int(gone.sum()),
            "vertices removed": len(whole.positions) - sum(len(p.positions) for p in made),
        }

    changed, counts, chosen = on_meshes(scene, params.parts, change, context)
    _refuse_nothing(changed, counts["faces removed"], params.what)
    return StepResult(
        changed,
        f"{counted(counts['faces removed'], 'face')} removed from {of_parts(chosen)}",
        measured(counts, _COUNTED),
    )


def _refuse_nothing(left: Scene, removed: int, what: str) -> None:
    if removed and not any(p.indices.size for _, _, mesh in parts(left) for p in mesh.primitives):
        raise UsageError(
            ErrorCode.USAGE, "no face would be left", expected="parts of which something stays",
            found=f"{removed:,} faces, all {what}", hint="Choose fewer parts or other faces.",
        )  # fmt: skip


def _gone(whole: Surface, params: RemoveFaces) -> AnyArray:
    """(m,) bool which faces go."""
    if params.what == "without area":
        return without_area(whole.positions, whole.indices)
    if params.what == "hidden inside":
        return hidden(whole.positions, whole.indices, rays=params.rays)
    corners, count = triangles_of_places(whole, params.distance)
    if params.what == "crumbs":
        piece, _ = pieces(corners, count)
        return np.bincount(piece)[piece] <= params.crumb
    return doubled(corners, both_sides=params.what == "doubled, both sides")

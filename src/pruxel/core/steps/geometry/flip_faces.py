"""Turn faces around: the front becomes the back."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

import numpy as np
from pydantic import Field

from pruxel.core.base.arrays import FloatArray, IndexArray, as_floats, as_indices
from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.scene.edit import edit_meshes
from pruxel.core.scene.model import Mesh, Primitive, Scene
from pruxel.core.steps.choose_faces import Faces, chosen_faces, on_faces
from pruxel.core.steps.choose_parts import chosen_parts
from pruxel.core.steps.on_meshes import of_parts
from pruxel.core.steps.references import Part
from pruxel.core.steps.registry import Params, StepResult, step


class FlipFaces(Params):
    """Which parts to turn; none named means all."""

    parts: tuple[Part, ...] = Field((), description="names of the parts", title="Parts")
    faces: Faces = ()
    normals: bool = Field(default=True, description="turn the vertex normals too", title="Turn normals")


def flip(indices: IndexArray, normals: FloatArray | None) -> tuple[IndexArray, FloatArray | None]:
    """Reverse the (m, 3) corners and negate the (n, 3) normals; flipping twice gives the same arrays back."""
    turned = as_indices(indices[:, ::-1])
    return turned, None if normals is None else as_floats(-normals, 3)


def _flipped(primitive: Primitive, *, normals: bool) -> Primitive:
    indices, turned = flip(primitive.indices, primitive.normals)
    tangents = primitive.tangents
    if tangents is not None and normals:
        # The bitangent is normal × tangent: with the normal turned, its sign keeps it where it was.
        tangents = as_floats(tangents * np.array([1, 1, 1, -1], np.float32), 4)
    targets = primitive.targets
    if normals:
        targets = tuple(t if t.normals is None else replace(t, normals=as_floats(-t.normals, 3)) for t in targets)
    return replace(
        primitive,
        indices=indices,
        normals=turned if normals else primitive.normals,
        tangents=tangents,
        targets=targets,
    )


@step(
    "flip_faces",
    "Flip faces",
    "Turns the faces of chosen parts around, so that what was behind is in front.",
    FlipFaces,
)
def flip_faces(scene: Scene, params: FlipFaces, context: Context) -> StepResult:
    """Flip the faces of the chosen parts."""
    context.check()
    if params.faces:
        chosen = chosen_faces(scene, params.faces)
        count = sum(int(mask.sum()) for mask in chosen.values())
        made = on_faces(scene, chosen, partial(_flipped, normals=params.normals))
        return StepResult(
            made, f"{count:,} chosen faces turned", (Evidence("faces turned", count), Evidence("parts", len(chosen)))
        )
    nodes = chosen_parts(scene, params.parts)

    def change(mesh: Mesh) -> Mesh:
        return replace(mesh, primitives=tuple(_flipped(p, normals=params.normals) for p in mesh.primitives))

    flipped = sum(
        len(p.indices)
        for index in nodes
        if (mesh := scene.nodes[index].mesh) is not None
        for p in scene.meshes[mesh].primitives
    )
    measured = (Evidence("faces turned", flipped), Evidence("parts", len(nodes)))
    return StepResult(
        edit_meshes(scene, nodes, change), f"{counted(flipped, 'face')} of {of_parts(len(nodes))} turned", measured
    )

"""Make normals anew: smooth across edges up to an angle, or hard where they are hard now."""

from __future__ import annotations

from dataclasses import replace
from math import radians
from typing import Literal

import numpy as np
from pydantic import Field

from pruxel.core.base.arrays import FloatArray, IndexArray, as_floats, as_indices
from pruxel.core.base.context import Context
from pruxel.core.base.words import counted
from pruxel.core.geometry.measure import area_vectors
from pruxel.core.geometry.places import places
from pruxel.core.geometry.smoothing import Weight, face_shapes, group_normals, smoothed
from pruxel.core.geometry.tangents import vertex_tangents
from pruxel.core.geometry.unique import unique_rows
from pruxel.core.geometry.welding import alike
from pruxel.core.scene.model import Mesh, MorphTarget, Primitive, Scene
from pruxel.core.scene.surface import Surface, gathered, polygon_of_face, surface_of
from pruxel.core.steps.on_meshes import Changed, measured, of_parts, on_meshes
from pruxel.core.steps.references import Degrees, Parts, SamePlace
from pruxel.core.steps.registry import Params, StepResult, step

# By how much a number of two unit normals may differ that count as one: a degree.
_SAME = 2 * np.sin(radians(1.0) / 2)


class MakeNormals(Params):
    """Where edges are hard, and how faces count."""

    parts: Parts = ()
    angle: Degrees = Field(
        60.0, ge=0, le=180, title="Smooth up to", description="edges at which faces turn by more are hard"
    )
    weight: Weight = Field("angle", title="Faces count by", description="their angle at the vertex, or their area")
    edges: Literal["by angle", "as they are"] = Field(
        "by angle", title="Hard edges", description="found by the angle, or those that are hard now and no others"
    )
    distance: SamePlace = 1e-6


@step(
    "make_normals",
    "Make normals anew",
    "Works the normals out from the faces; edges that turn sharply stay hard, seams of textures do not show.",
    MakeNormals,
)
def make_normals(scene: Scene, params: MakeNormals, context: Context) -> StepResult:
    """Give the chosen parts new normals; vertices at hard edges are parted. Tangents follow where there were any."""

    def change(mesh: Mesh) -> Changed:
        whole = surface_of(mesh)
        made = _with_normals(mesh, whole, params)
        return replace(mesh, primitives=tuple(made)), {
            "vertices before": len(whole.positions),
            "vertices after": sum(len(p.positions) for p in made),
        }

    changed, counts, parts = on_meshes(scene, params.parts, change, context)
    return StepResult(
        changed, f"{counted(counts['vertices after'], 'normal')} made anew in {of_parts(parts)}",
        measured(counts, ("vertices before", "vertices after")),
    )  # fmt: skip


def _face_shapes(mesh: Mesh, whole: Surface, positions: FloatArray, weight: Weight) -> tuple[FloatArray, FloatArray]:
    """(m, 3) unit normals and (m, 3) weights of corners; the triangles of a polygon share a normal."""
    normals, weights = face_shapes(positions, whole.indices, weight)
    if all(p.face_sizes is None for p in mesh.primitives):
        return normals, weights
    vectors = area_vectors(positions, whole.indices)
    ends = np.cumsum([0, *(len(p.indices if p.face_sizes is None else p.face_sizes) for p in mesh.primitives)])
    polygon = np.concatenate([polygon_of_face(p) + end for p, end in zip(mesh.primitives, ends, strict=False)])
    vectors = np.stack([np.bincount(polygon, vectors[:, k], int(ends[-1]))[polygon] for k in range(3)], axis=1)
    length = np.linalg.norm(vectors, axis=1, keepdims=True)
    return as_floats(vectors / np.where(length > 0, length, 1), 3), weights


def _smoothed(mesh: Mesh, whole: Surface, params: MakeNormals) -> tuple[IndexArray, FloatArray]:
    """(m, 3) which corners are smooth with each other, and the (g, 3) normals of these."""
    _, place = places(whole.positions, params.distance)
    faces, weights = _face_shapes(mesh, whole, whole.positions, params.weight)
    if params.edges == "as they are" and all(p.normals is not None for p in mesh.primitives):
        normals = np.concatenate([p.normals for p in mesh.primitives if p.normals is not None])
        _, kind = alike(place, as_floats(normals, 3), np.full(3, _SAME, np.float32))
        group = as_indices(kind[whole.indices])
        return group, group_normals(group, faces, weights)
    return smoothed(as_indices(place[whole.indices]), faces, weights, radians(params.angle))


def _with_normals(mesh: Mesh, whole: Surface, params: MakeNormals) -> list[Primitive]:
    group, normals = _smoothed(mesh, whole, params)
    shaped = {
        number: group_normals(group, *_face_shapes(mesh, whole, moved, params.weight))
        for number, moved in _shapes(mesh, whole)
    }
    made = []
    for primitive, mine in zip(mesh.primitives, whole.by_primitive(group), strict=True):
        keys = np.stack([primitive.indices, mine], axis=-1).reshape(-1, 2).view(np.int32)
        first, vertex = unique_rows(keys)
        old, of_group = primitive.indices.reshape(-1)[first], mine.reshape(-1)[first]
        parted = gathered(primitive, old, as_indices(vertex.reshape(-1, 3)), primitive.face_sizes)
        own = as_floats(normals[of_group], 3)
        targets = tuple(
            t if t.normals is None or number not in shaped
            else replace(t, normals=as_floats(shaped[number][of_group] - own, 3))
            for number, t in enumerate(parted.targets)
        )  # fmt: skip
        made.append(_with_tangents(replace(parted, normals=own, targets=targets)))
    return made


def _shapes(mesh: Mesh, whole: Surface) -> list[tuple[int, FloatArray]]:
    """The numbers of those morph targets that carry normals, and the whole surface moved by each."""
    counts = max((len(p.targets) for p in mesh.primitives), default=0)

    def target(primitive: Primitive, number: int) -> MorphTarget | None:
        return primitive.targets[number] if number < len(primitive.targets) else None

    found = []
    for number in range(counts):
        mine = [target(p, number) for p in mesh.primitives]
        if all(t is None or t.normals is None for t in mine):
            continue
        shifts = [
            np.zeros_like(p.positions) if t is None or t.positions is None else t.positions
            for p, t in zip(mesh.primitives, mine, strict=True)
        ]
        found.append((number, as_floats(whole.positions + np.concatenate(shifts), 3)))
    return found


def _with_tangents(primitive: Primitive) -> Primitive:
    """Tangents made for the new normals, where there were any."""
    if primitive.tangents is None:
        return primitive
    if not primitive.uvs or primitive.normals is None:
        return replace(primitive, tangents=None)
    return replace(
        primitive,
        tangents=vertex_tangents(primitive.positions, primitive.normals, primitive.uvs[0], primitive.indices),
    )

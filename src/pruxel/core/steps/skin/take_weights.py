"""Take weights from another part: clothes and hair move like the body that they lie on."""

from __future__ import annotations

import numpy as np
from pydantic import Field
from scipy.sparse import csr_array, vstack

from pruxel.core.base.arrays import AnyArray, DoubleArray
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.findings import Evidence
from pruxel.core.geometry.measure import area_vectors
from pruxel.core.geometry.nearest import nearest_places
from pruxel.core.geometry.normals import vertex_normals
from pruxel.core.geometry.weights import gathered_rows
from pruxel.core.scene.bound import bound, tables_of
from pruxel.core.scene.model import Primitive, Scene
from pruxel.core.scene.pose import standing
from pruxel.core.scene.surface import Surface, surface_of
from pruxel.core.steps.choose_parts import chosen_parts
from pruxel.core.steps.on_meshes import of_parts
from pruxel.core.steps.references import Part, Parts
from pruxel.core.steps.registry import Params, StepResult, step

# What faces another way is asked again, among the faces that look its way: along one of six directions.
_WAYS = np.concatenate([np.eye(3), -np.eye(3)])
_TOWARDS = 0.3  # the cosine up to which a face looks along a direction


class TakeWeights(Params):
    """Whose, and for which parts."""

    source: Part = Field("", title="From", description="the part whose surface says what moves how")
    parts: Parts = ()
    facing: bool = Field(
        default=True, title="Only what faces alike", description="not through to the far side of a thin body"
    )
    most: int = Field(4, ge=1, le=64, title="Joints a vertex", description="the strongest stay")


@step(
    "take_weights",
    "Take weights from another part",
    "Binds parts to the joints of another one, each vertex as its surface is bound where it is nearest.",
    TakeWeights,
)
def take_weights(scene: Scene, params: TakeWeights, context: Context) -> StepResult:
    """Set the weights of parts to those at the nearest place of the source, as both stand; nothing moves at rest.

    Raises `UsageError` for a source that no joint holds.
    """
    context.check()
    if not params.source:
        return StepResult(scene, "no part to take weights from is chosen", (Evidence("vertices", 0),))
    [source] = chosen_parts(scene, (params.source,))
    skin = scene.nodes[source].skin
    surface, table = _held_surface(scene, source) if skin is not None else (None, None)
    if skin is None or surface is None or table is None or not table.nnz or not len(surface.indices):
        raise UsageError(
            ErrorCode.USAGE, f"no joint holds “{params.source}”", field="source", expected="a part with a skin",
            found="none", hint="Choose the body that the others lie on.",
        )  # fmt: skip
    chosen = [k for k in chosen_parts(scene, params.parts) if k != source]
    made, vertices, far = scene, 0, 0.0
    for index, part in context.each(chosen, lambda k: scene.nodes[k].name):
        part.check()
        [(_, _, stands)] = standing(scene, {index})
        tables = []
        for p in stands.primitives:
            triangle, shares, away = _nearest(p, surface, facing=params.facing)
            tables.append(gathered_rows(table, surface.indices[triangle], shares))
            vertices, far = vertices + len(p.positions), max(far, float(away.max(initial=0.0)))
        made = bound(made, index, skin, tables, params.most)
    return StepResult(
        made, f"{of_parts(len(chosen))} bound as “{params.source}” is",
        (Evidence("vertices", vertices), Evidence("farthest from it", round(100 * far, 2), "cm")),
    )  # fmt: skip


def _held_surface(scene: Scene, index: int) -> tuple[Surface, csr_array]:
    """The part as it stands, and the weights of its vertices."""
    [(_, _, mesh)] = standing(scene, {index})
    return surface_of(mesh), csr_array(vstack(tables_of(scene, index)))


def _nearest(p: Primitive, surface: Surface, *, facing: bool) -> tuple[AnyArray, DoubleArray, DoubleArray]:
    """For each vertex a triangle of the surface, shares of its corners, and how far it is."""
    if not len(p.positions):
        return np.zeros(0, np.int64), np.zeros((0, 3)), np.zeros(0)
    near = nearest_places(p.positions, surface.positions, surface.indices)
    triangle, shares, away = near.triangle.copy(), near.weights.copy(), near.distance.copy()
    if not facing:
        return triangle, shares, away
    looks = _unit(area_vectors(surface.positions, surface.indices))
    own = vertex_normals(p.positions, p.indices) if p.normals is None else p.normals
    other = np.einsum("ij,ij->i", own, looks[triangle]) < 0
    along = (own @ _WAYS.T).argmax(axis=1)
    for way in np.unique(along[other]):
        asked = np.flatnonzero(other & (along == way))
        faces = np.flatnonzero(looks @ _WAYS[way] > _TOWARDS)
        if len(faces):
            again = nearest_places(p.positions[asked], surface.positions, surface.indices[faces])
            triangle[asked], shares[asked], away[asked] = faces[again.triangle], again.weights, again.distance
    return triangle, shares, away


def _unit(vectors: AnyArray) -> AnyArray:
    return vectors / np.maximum(np.linalg.norm(vectors, axis=1, keepdims=True), 1e-30)

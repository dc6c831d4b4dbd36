"""Subdivide: every triangle becomes four, flat or rounded."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic import Field

from pruxel.core.base.arrays import AnyArray, FloatArray, as_floats, frozen
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.geometry.places import places
from pruxel.core.geometry.subdividing import halved, rounded
from pruxel.core.scene.measure import face_count
from pruxel.core.scene.model import Mesh, MorphTarget, Primitive, Scene
from pruxel.core.steps.choose_parts import chosen_parts
from pruxel.core.steps.on_meshes import Changed, measured, of_parts, on_meshes
from pruxel.core.steps.references import Degrees, Parts
from pruxel.core.steps.registry import Params, StepResult, step

_MOST_TRIANGLES = 20_000_000


class Subdivide(Params):
    """Which parts, and whether corners are cut."""

    parts: Parts = ()
    shape: Literal["rounded", "as it is"] = Field(
        "rounded", title="Shape", description="corners are cut by Loop's rule, or every triangle stays flat"
    )
    angle: Degrees = Field(
        40.0, ge=0, le=180, title="Creases", description="edges that turn by more stay sharp, and so do borders"
    )


@step(
    "subdivide",
    "Subdivide",
    "Makes four triangles of each: rounder where corners are cut; creases, borders, seams, weights and shapes stay.",
    Subdivide,
)
def subdivide(scene: Scene, params: Subdivide, context: Context) -> StepResult:
    """Cut the faces of the chosen parts once. Raises `UsageError` where that would be too many."""
    chosen = {scene.nodes[index].mesh for index in chosen_parts(scene, params.parts)}
    there = sum(len(p.indices) for m in chosen if m is not None for p in scene.meshes[m].primitives)
    if there * 4 > _MOST_TRIANGLES:
        raise UsageError(
            ErrorCode.BUDGET, "that would be too many triangles", expected=f"at most {_MOST_TRIANGLES:,}",
            found=f"{there * 4:,}", hint="Choose fewer parts.",
        )  # fmt: skip

    def change(mesh: Mesh) -> Changed:
        context.check()
        made = tuple(_cut(p, params) if len(p.indices) else p for p in mesh.primitives)
        before = face_count(mesh)
        return replace(mesh, primitives=made), {"triangles before": before, "triangles after": before * 4}

    changed, counts, parts = on_meshes(scene, params.parts, change, context)
    words = f"{counts['triangles before']:,} triangles → {counts['triangles after']:,} in {of_parts(parts)}"
    return StepResult(changed, words, measured(counts, ("triangles before", "triangles after")))


def _cut(p: Primitive, params: Subdivide) -> Primitive:
    halves = halved(p.indices, len(p.positions))
    ends = halves.ends

    def between(values: AnyArray) -> FloatArray:
        middle = (values[ends[:, 0]].astype(np.float32) + values[ends[:, 1]].astype(np.float32)) / 2
        return np.concatenate([values.astype(np.float32), middle])

    def unit(values: FloatArray | None, *, handed: bool = False) -> FloatArray | None:
        """Directions in the middle of others, at unit length; the hand of a tangent is that of one end."""
        if values is None:
            return None
        made = between(values)
        length = np.linalg.norm(made[:, :3], axis=1, keepdims=True)
        back = values[np.concatenate([np.arange(len(values)), ends[:, 0]])]
        made[:, :3] = np.where(length > 1e-6, made[:, :3] / np.maximum(length, 1e-6), back[:, :3])
        if handed:
            made[:, 3] = back[:, 3]
        return frozen(made)

    positions = between(p.positions)
    if params.shape == "rounded":
        # Seams of coordinates stay closed: vertices of one place move as one.
        first, place = places(p.positions)
        old, middle = rounded(
            p.positions[first], place[p.indices], place[ends].astype(np.int64), np.deg2rad(params.angle)
        )
        positions = np.concatenate([old[place], middle]).astype(np.float32)
    joints, weights = _pulled(p, ends)
    return replace(
        p,
        positions=as_floats(positions, 3),
        indices=halves.indices,
        normals=unit(p.normals),
        tangents=unit(p.tangents, handed=True),
        uvs=tuple(frozen(between(u)) for u in p.uvs),
        colors=tuple(frozen(between(c)) for c in p.colors),
        joints=joints,
        weights=weights,
        attributes=tuple(
            replace(a, values=frozen(np.concatenate([a.values, a.values[ends[:, 0]]]))) for a in p.attributes
        ),
        targets=tuple(_target(t, between) for t in p.targets),
        face_sizes=None,
    )


def _target(t: MorphTarget, between: object) -> MorphTarget:
    def some(values: FloatArray | None) -> FloatArray | None:
        return None if values is None else frozen(between(values))  # type: ignore[operator]

    return MorphTarget(
        t.name, some(t.positions), normals=some(t.normals), tangents=some(t.tangents),
        uvs=tuple(some(u) for u in t.uvs), colors=tuple(some(c) for c in t.colors),  # type: ignore[misc]
    )  # fmt: skip


def _pulled(p: Primitive, ends: AnyArray) -> tuple[AnyArray | None, FloatArray | None]:
    """Joints and weights with those of the middles: of both ends' joints the strongest, as many as a vertex has."""
    if p.joints is None or p.weights is None:
        return p.joints, p.weights
    k = p.joints.shape[1]
    joints = np.concatenate([p.joints[ends[:, 0]], p.joints[ends[:, 1]]], axis=1).astype(np.int64)
    weights = np.concatenate([p.weights[ends[:, 0]], p.weights[ends[:, 1]]], axis=1) / 2
    total = weights.sum(axis=1, keepdims=True)
    for i in range(1, 2 * k):
        for j in range(i):
            same = (joints[:, i] == joints[:, j]) & (weights[:, i] > 0)
            weights[same, j] += weights[same, i]
            weights[same, i] = 0
    order = np.argsort(-weights, axis=1, kind="stable")[:, :k]
    joints, weights = np.take_along_axis(joints, order, axis=1), np.take_along_axis(weights, order, axis=1)
    weights *= total / np.maximum(weights.sum(axis=1, keepdims=True), 1e-20)
    return (
        frozen(np.concatenate([p.joints, np.where(weights > 0, joints, 0).astype(p.joints.dtype)])),
        frozen(np.concatenate([p.weights, weights]).astype(np.float32)),
    )

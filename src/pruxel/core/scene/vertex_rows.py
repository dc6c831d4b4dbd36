"""All that a vertex carries beside its place, as one row of numbers."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from pruxel.core.base.arrays import AnyArray, FloatArray
from pruxel.core.scene.model import Primitive

_WEIGHT = 1 / 255
_COLOR = 1 / 255


def vertex_rows(primitive: Primitive, *, direction: float, uv: float, shift: float) -> tuple[FloatArray, FloatArray]:
    """(n, k) float32 what each vertex carries, and (k,) by how much two may differ in it and still be alike.

    `direction` bounds each number of normals and tangents, `uv` texture coordinates, `shift` in metres what shapes
    move; colours and weights may differ by one step of 255, joints and the file's own attributes not at all.
    """
    columns = [(np.asarray(values, np.float32).reshape(len(primitive.positions), -1), most)
               for values, most in _columns(primitive, direction, uv, shift)]  # fmt: skip
    if not columns:
        return np.zeros((len(primitive.positions), 0), np.float32), np.zeros(0, np.float32)
    rows = np.concatenate([values for values, _ in columns], axis=1)
    most = np.concatenate([np.full(values.shape[1], most, np.float32) for values, most in columns])
    return rows, most


def _columns(primitive: Primitive, direction: float, uv: float, shift: float) -> Iterator[tuple[AnyArray, float]]:
    for one in (primitive.normals, primitive.tangents):
        if one is not None:
            yield one, direction
    yield from ((u, uv) for u in primitive.uvs)
    yield from ((c, _COLOR) for c in primitive.colors)
    if primitive.joints is not None and primitive.weights is not None:
        yield np.where(primitive.weights > 0, primitive.joints, 0), 0.0
        yield primitive.weights, _WEIGHT
    yield from ((a.values, 0.0) for a in primitive.attributes)
    for target in primitive.targets:
        if target.positions is not None:
            yield target.positions, shift
        yield from ((d, direction) for d in (target.normals, target.tangents) if d is not None)
        yield from ((u, uv) for u in target.uvs)
        yield from ((c, _COLOR) for c in target.colors)

"""Vertex tangents for normal maps."""

from __future__ import annotations

import numba
import numpy as np

from pruxel.core.base.arrays import FloatArray, IndexArray, frozen


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _gather(positions, uvs, indices, along, across):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    for t in range(indices.shape[0]):
        i, j, k = indices[t, 0], indices[t, 1], indices[t, 2]
        u1, v1 = uvs[j, 0] - uvs[i, 0], uvs[i, 1] - uvs[j, 1]
        u2, v2 = uvs[k, 0] - uvs[i, 0], uvs[i, 1] - uvs[k, 1]
        area = u1 * v2 - u2 * v1
        if area == 0:
            continue
        sign = 1.0 if area > 0 else -1.0
        for a in range(3):
            e1 = positions[j, a] - positions[i, a]
            e2 = positions[k, a] - positions[i, a]
            du, dv = (e1 * v2 - e2 * v1) * sign, (e2 * u1 - e1 * u2) * sign
            for c in (i, j, k):
                along[c, a] += du
                across[c, a] += dv


def vertex_tangents(positions: FloatArray, normals: FloatArray, uvs: FloatArray, indices: IndexArray) -> FloatArray:
    """Compute (n, 4) float32 tangents: unit, square to the normal, along growing U; w is the bitangent's sign.

    uvs have their origin at the top left, so the bitangent runs along falling V, as glTF 2.0 asks (section 3.7.2.1).
    Faces weigh by their area. Where UVs have no area, any direction square to the normal is given.
    """
    along, across = np.zeros(positions.shape, np.float64), np.zeros(positions.shape, np.float64)
    _gather(positions, uvs, np.ascontiguousarray(indices), along, across)
    square = along - normals * (normals * along).sum(axis=1, keepdims=True)
    length = np.linalg.norm(square, axis=1, keepdims=True)
    spare = np.cross(normals, np.where(np.abs(normals[:, :1]) < 0.9, (1.0, 0.0, 0.0), (0.0, 1.0, 0.0)))
    spare /= np.maximum(np.linalg.norm(spare, axis=1, keepdims=True), 1e-20)
    usable = length > 1e-9 * np.maximum(np.linalg.norm(along, axis=1, keepdims=True), 1e-30)
    usable &= length > 1e-30
    tangent = np.where(usable, square / np.where(usable, length, 1.0), spare)
    handed = np.where((np.cross(normals, tangent) * across).sum(axis=1) < 0, -1.0, 1.0)
    return frozen(np.concatenate([tangent, handed[:, None]], axis=1).astype(np.float32))

"""Vertex normals."""

from __future__ import annotations

import numba
import numpy as np

from pruxel.core.base.arrays import AnyArray, FloatArray, IndexArray, as_floats, frozen, usable_rows

_SHORT = 1e-6  # a direction below this length is none


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _accumulate(positions, indices, out):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    for t in range(indices.shape[0]):
        i, j, k = indices[t, 0], indices[t, 1], indices[t, 2]
        x, y, z = positions[i, 0], positions[i, 1], positions[i, 2]
        ux, uy, uz = positions[j, 0] - x, positions[j, 1] - y, positions[j, 2] - z
        vx, vy, vz = positions[k, 0] - x, positions[k, 1] - y, positions[k, 2] - z
        nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        # Number by number: rows and loops over three take several times as long.
        out[i, 0] += nx
        out[i, 1] += ny
        out[i, 2] += nz
        out[j, 0] += nx
        out[j, 1] += ny
        out[j, 2] += nz
        out[k, 0] += nx
        out[k, 1] += ny
        out[k, 2] += nz
    for n in range(out.shape[0]):
        x, y, z = out[n, 0], out[n, 1], out[n, 2]
        length = np.sqrt(x * x + y * y + z * z)
        if length > 0:
            out[n, 0], out[n, 1], out[n, 2] = x / length, y / length, z / length
        else:
            out[n, 1] = 1.0


def unit_or_computed(given: AnyArray, positions: FloatArray, indices: IndexArray) -> FloatArray:
    """(n, 3) the given directions (n, 3) at unit length; where one has none, or is no number, the surface's own."""
    plain = np.where(usable_rows(given)[:, None], given, 0)
    length = np.linalg.norm(plain, axis=1, keepdims=True)
    if bool((length > _SHORT).all()):
        return as_floats(plain / length, 3)
    computed = vertex_normals(positions, indices)
    return as_floats(np.where(length > _SHORT, plain / np.maximum(length, _SHORT), computed), 3)


def vertex_normals(positions: FloatArray, indices: IndexArray) -> FloatArray:
    """Compute (n, 3) float32 unit normals, each face weighing by its area.

    A vertex with no face, or faces of no area, gets +Y.
    """
    out = np.zeros(positions.shape, dtype=np.float32)
    _accumulate(np.ascontiguousarray(positions), np.ascontiguousarray(indices), out)
    return frozen(out)

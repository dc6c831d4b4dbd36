"""Write binary STL: all parts as they stand, in one file."""

from __future__ import annotations

import numba
import numpy as np

from pruxel import __version__
from pruxel.core.base.arrays import FloatArray, IndexArray
from pruxel.core.base.context import Context
from pruxel.core.formats.registry import OutFile
from pruxel.core.formats.solids import SolidOptions, frame_words, joined, plain_bytes, solids
from pruxel.core.formats.textures import link_name
from pruxel.core.scene.model import Scene

ROW = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")])
HEAD_BYTES = 80


def write(scene: Scene, stem: str, options: SolidOptions, context: Context) -> list[OutFile]:
    """One file; the head says program and unit, which the format itself has no place for."""
    positions, indices = joined([p for _, mesh in solids(scene, options) for p in mesh.primitives])
    context.progress(0.5, stem)
    head = f"Pruxel {__version__}, {frame_words(options)}".encode().ljust(HEAD_BYTES, b" ")
    rows = rows_of(positions, indices)
    return [OutFile(f"{link_name(stem)}.stl", (head, np.uint32(len(rows)).tobytes(), plain_bytes(rows)))]


def rows_of(positions: FloatArray, indices: IndexArray) -> np.ndarray:
    """(m,) rows of the file: a unit normal by the right hand, and three corners, of each triangle (m, 3)."""
    rows = np.zeros(len(indices), ROW)
    _fill(positions, indices, rows["normal"], rows["corners"])
    return rows


@numba.njit(cache=True, nogil=True)
def _fill(positions, indices, normals, corners):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Corners and normals of every triangle, in one pass; no area, no normal."""
    a, b, n = np.empty(3), np.empty(3), np.empty(3)
    for t in range(len(indices)):
        for c in range(3):
            for k in range(3):
                corners[t, c, k] = positions[indices[t, c], k]
        for k in range(3):
            origin = np.float64(positions[indices[t, 0], k])
            a[k] = positions[indices[t, 1], k] - origin
            b[k] = positions[indices[t, 2], k] - origin
        n[0], n[1], n[2] = a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]
        length = np.sqrt(n[0] * n[0] + n[1] * n[1] + n[2] * n[2])
        if length > 0:
            for k in range(3):
                normals[t, k] = n[k] / length

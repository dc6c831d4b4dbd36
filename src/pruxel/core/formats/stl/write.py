"""Write binary STL: all parts as they stand, in one file."""

from __future__ import annotations

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
    corners = positions[indices]
    rows["corners"] = corners
    first = corners[:, 0]
    across = np.cross(corners[:, 1] - first, corners[:, 2] - first)
    length = np.sqrt(np.einsum("ij,ij->i", across, across))[:, None]
    rows["normal"] = np.divide(across, length, out=np.zeros_like(across), where=length > 0)
    return rows

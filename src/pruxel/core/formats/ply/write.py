"""Write binary PLY: all parts as they stand, as one mesh with normals, UVs and colours."""

from __future__ import annotations

from typing import Any

import numpy as np

from pruxel import __version__
from pruxel.core.base.arrays import AnyArray, FloatArray
from pruxel.core.base.context import Context
from pruxel.core.formats.registry import OutFile
from pruxel.core.formats.solids import MetreOptions, frame_words, joined, plain_bytes, solids
from pruxel.core.formats.textures import link_name
from pruxel.core.geometry.colors import srgb_from_linear
from pruxel.core.scene.materials import Material
from pruxel.core.scene.model import Primitive, Scene
from pruxel.core.scene.uvs import shown_uvs

_TYPES = {"<f4": "float", "u1": "uchar"}
_FACE = np.dtype([("count", "u1"), ("corners", "<i4", 3)])


def write(scene: Scene, stem: str, options: MetreOptions, context: Context) -> list[OutFile]:
    """One file. Where no vertex has a colour, those of the materials stand there."""
    primitives = [p for _, mesh in solids(scene, options) for p in mesh.primitives]
    rows = vertex_rows(primitives, scene.materials)
    context.progress(0.6, stem)
    _, indices = joined(primitives)
    faces = np.empty(len(indices), _FACE)
    faces["count"], faces["corners"] = 3, indices
    assert rows.dtype.names is not None
    lines = [
        "ply",
        "format binary_little_endian 1.0",
        f"comment Pruxel {__version__}, {frame_words(options)}",
        f"element vertex {len(rows)}",
        *(f"property {_TYPES[_code(rows.dtype, name)]} {name}" for name in rows.dtype.names),
        f"element face {len(faces)}",
        "property list uchar int vertex_indices",
        "end_header",
    ]
    head = ("\n".join(lines) + "\n").encode()
    return [OutFile(f"{link_name(stem)}.ply", (head, plain_bytes(rows), plain_bytes(faces)))]


def _code(dtype: np.dtype[Any], name: str) -> str:
    assert dtype.fields is not None
    return dtype.fields[name][0].str.replace("|", "")


def vertex_rows(primitives: list[Primitive], materials: tuple[Material, ...]) -> AnyArray:
    """(n,) rows of the file: x y z, and, where any has them, nx ny nz, s t, red green blue alpha."""
    normals = all(p.normals is not None for p in primitives) and bool(primitives)
    uvs = [shown_uvs(p, materials) for p in primitives]
    mapped = any(uv is not None for uv in uvs)
    colored = any(p.colors for p in primitives) or any(p.material is not None for p in primitives)
    names = ["x", "y", "z"] + (["nx", "ny", "nz"] if normals else []) + (["s", "t"] if mapped else [])
    fields: list[tuple[str, str]] = [(name, "<f4") for name in names]
    fields += [(name, "u1") for name in ("red", "green", "blue", "alpha")] if colored else []
    # Every field of a row is four bytes wide, the four of a colour together: filled by blocks of columns.
    words = np.zeros((sum(len(p.positions) for p in primitives), len(names) + colored), "<f4")
    at = 0
    for primitive, uv in zip(primitives, uvs, strict=True):
        mine = words[at : at + len(primitive.positions)]
        at += len(mine)
        mine[:, :3] = primitive.positions
        if normals and primitive.normals is not None:
            mine[:, 3:6] = primitive.normals
        if uv is not None:
            k = names.index("s")
            mine[:, k], mine[:, k + 1] = uv[:, 0], 1 - uv[:, 1]
        if colored:
            mine.view("<u4")[:, -1] = shown_colors(primitive, materials).view("<u4")[:, 0]
    return words.view(np.dtype(fields)).reshape(-1)


def shown_colors(primitive: Primitive, materials: tuple[Material, ...]) -> AnyArray:
    """(n, 4) uint8 display values: the vertices' colours times that of their material; (1, 4) where all are alike."""
    base = (1.0, 1.0, 1.0, 1.0) if primitive.material is None else materials[primitive.material].base_color
    linear: FloatArray = np.array([base], np.float32)
    if primitive.colors:
        linear = linear * primitive.colors[0]
    shown = np.concatenate([srgb_from_linear(linear[:, :3]), linear[:, 3:]], axis=1)
    return np.rint(np.clip(shown, 0, 1) * 255).astype(np.uint8)

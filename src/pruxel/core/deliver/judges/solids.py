"""STL and PLY before three.js's loaders."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from pruxel.core.base.arrays import AnyArray
from pruxel.core.deliver.judges.registry import Exhibit, judge
from pruxel.core.deliver.proof.aligned import facing
from pruxel.core.deliver.proof.checks import Check
from pruxel.core.deliver.proof.expected_parts import compare_parts, surfaces_read
from pruxel.core.deliver.proof.judge import read_back
from pruxel.core.deliver.proof.surfaces import Surface
from pruxel.core.formats.ply.write import shown_colors
from pruxel.core.formats.solids import SolidOptions, joined, solids
from pruxel.core.geometry.colors import linear_from_srgb
from pruxel.core.scene.model import Primitive
from pruxel.core.scene.uvs import shown_uvs

_EIGHT_BITS = 0.0021  # the reader keeps colours in as many, after turning them to linear light


def _primitives(one: Exhibit) -> list[Primitive]:
    assert isinstance(one.options, SolidOptions)
    return [p for _, mesh in solids(one.scene, one.options) for p in mesh.primitives]


def _surface(primitives: list[Primitive]) -> tuple[Surface, AnyArray]:
    """The surface of all primitives, and the vertex of each corner, counted through them."""
    positions, indices = joined(primitives)
    corners = indices.reshape(-1)
    return Surface("", positions[corners], materials=np.full(len(corners), "", object)), corners


def _with_face_normals(surface: Surface, normals: AnyArray) -> Surface:
    """Triangles of hardly any area all get the same one: whatever stands there means nothing."""
    flat = (facing(surface) == 0).all(axis=1, keepdims=True)
    return replace(surface, normals=np.where(flat, (0.0, 1.0, 0.0), normals))


@judge("stl in three.js", "three.js")
def read_stl(one: Exhibit) -> list[Check]:
    """Triangles, and the normals that the file gives them."""
    written, _ = _surface(_primitives(one))
    [found] = surfaces_read(read_back(one.main, "stl"))
    if found.normals is not None:
        found = _with_face_normals(found, found.normals)
    return compare_parts([_with_face_normals(written, facing(written))], [found], one.tolerances)


@judge("ply in three.js", "three.js")
def read_ply(one: Exhibit) -> list[Check]:
    """Triangles with their normals, UVs and colours."""
    primitives, materials = _primitives(one), one.scene.materials
    written, corners = _surface(primitives)
    normals = [p.normals for p in primitives if p.normals is not None]
    if len(normals) == len(primitives) and primitives:
        written = replace(written, normals=np.concatenate(normals)[corners])
    uvs = [shown_uvs(p, materials) for p in primitives]
    if any(uv is not None for uv in uvs):
        # Where there are none the file has zeros, counted from the bottom.
        empty = [np.tile(np.array([[0.0, 1.0]], np.float32), (len(p.positions), 1)) for p in primitives]
        whole = [e if uv is None else uv for uv, e in zip(uvs, empty, strict=True)]
        written = replace(written, uvs=(np.concatenate(whole)[corners],))
    if any(p.colors for p in primitives) or any(p.material is not None for p in primitives):
        shown = np.concatenate(
            [np.broadcast_to(shown_colors(p, materials), (len(p.positions), 4)) for p in primitives]
        )[corners]
        written = replace(written, colors=(linear_from_srgb(shown[:, :3] / np.float32(255)),))
    found = surfaces_read(read_back(one.main, "ply"))
    return compare_parts([written], found, replace(one.tolerances, color=_EIGHT_BITS))

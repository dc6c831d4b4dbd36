"""Points and lines of an OBJ file."""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from pruxel.core.base.arrays import as_floats, frozen
from pruxel.core.formats.obj.scan import Scanned
from pruxel.core.scene.edit import unique_names
from pruxel.core.scene.materials import Material
from pruxel.core.scene.model import Mesh, Node, Scene, Strokes
from pruxel.core.scene.origin import Origin


@dataclass(frozen=True)
class Stroke:
    """One statement 'l' or 'p' of an object and a material, its vertices zero-based."""

    part: str
    material: str | None
    kind: str
    vertices: tuple[int, ...]


def with_strokes(scene: Scene, found: Scanned, strokes: list[Stroke], name: str) -> Scene:
    """The scene with points and lines in the parts that name them; those of missing vertices are left out."""
    grouped: dict[tuple[str, str | None, str], list[tuple[int, ...]]] = {}
    for stroke in strokes:
        grouped.setdefault((stroke.part, stroke.material, stroke.kind), []).append(stroke.vertices)
    materials = {material.name: number for number, material in enumerate(scene.materials)}
    made: dict[str, list[Strokes]] = {}
    for (part, material, kind), runs in grouped.items():
        indices = (
            _segments(runs) if kind == "l" else np.array([[v] for run in runs for v in run], np.int64).reshape(-1, 1)
        )
        inside = ((indices >= 0) & (indices < len(found.v))).all(axis=1)
        indices = indices[inside]
        used, corners = np.unique(indices, return_inverse=True)
        finite = bool(np.isfinite(found.v[used]).all())
        if len(indices) and finite:
            number = None if material is None else materials.setdefault(material, len(materials))
            lines = Strokes(
                as_floats(found.v[used], 3),
                frozen(corners.reshape(indices.shape).astype(np.uint32)),
                material=number,
                origin=Origin(entry=name),
            )
            made.setdefault(part or scene.name, []).append(lines)
    meshes = tuple(
        replace(mesh, strokes=tuple(made.pop(mesh.name))) if mesh.name in made else mesh for mesh in scene.meshes
    )
    more = [Mesh(part, strokes=tuple(items)) for part, items in made.items()]
    nodes = [*scene.nodes, *(Node(mesh.name, mesh=len(meshes) + i) for i, mesh in enumerate(more))]
    known = (*scene.materials, *(Material(n) for n in list(materials)[len(scene.materials) :]))
    return replace(
        scene,
        nodes=unique_names(nodes),
        roots=tuple(range(len(nodes))),
        meshes=(*meshes, *more),
        materials=known,
    )


def _segments(runs: list[tuple[int, ...]]) -> np.ndarray:
    """(m, 2) ends of the segments of polylines."""
    pairs = [(a, b) for run in runs for a, b in pairwise(run)]
    return np.array(pairs, np.int64).reshape(-1, 2)

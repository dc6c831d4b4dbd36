"""Scenes of formats that hold parts and nothing between them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from pruxel.core.base.arrays import AnyArray, FloatArray
from pruxel.core.geometry.unique import bits_of, unique_rows
from pruxel.core.scene.checks import entered
from pruxel.core.scene.edit import unique_names
from pruxel.core.scene.materials import Material
from pruxel.core.scene.model import Mesh, Node, Primitive, Scene, Strokes
from pruxel.core.scene.reframe import Up, axes_of, reframed


def plain_scene(
    file: str,
    parts: Sequence[tuple[str, Primitive | Strokes]],
    up: Up,
    metres: float,
    notes: Sequence[str],
    materials: Sequence[Material] = (),
) -> Scene:
    """A part for each primitive or set of points, turned from its file's up axis and scaled from its unit.

    Raises `InputError`.
    """
    stem = file.rsplit("/", 1)[-1].rsplit(".", 1)[0]
    nodes = [Node(title or stem, mesh=number) for number, (title, _) in enumerate(parts)]
    scene = Scene(
        stem,
        nodes=unique_names(nodes),
        roots=tuple(range(len(nodes))),
        meshes=tuple(_mesh(title or stem, one) for title, one in parts),
        materials=tuple(materials),
        notes=tuple(notes),
    )
    ours_from_file = axes_of(up).T
    return entered(replace(reframed(scene, ours_from_file, metres), notes=tuple(notes)), file)


def _mesh(name: str, one: Primitive | Strokes) -> Mesh:
    return Mesh(name, strokes=(one,)) if isinstance(one, Strokes) else Mesh(name, (one,))


def vertices_of(corners: FloatArray) -> tuple[FloatArray, AnyArray]:
    """Distinct places (n, 3) of corners (3m, 3) in order of first use, and the triangles (m, 3)."""
    first, vertex = unique_rows(bits_of(corners))
    return corners[first], vertex.reshape(-1, 3)

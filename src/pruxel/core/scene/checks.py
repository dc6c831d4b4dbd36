"""Invariants of a scene as named predicates. `problems` lists those that do not hold."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np

from pruxel.core.scene.model import Primitive, Scene
from pruxel.core.scene.walk import parts

Check = Callable[[Scene], Iterator[str]]


def _primitives(scene: Scene) -> Iterator[tuple[str, Primitive]]:
    for mesh in scene.meshes:
        for number, primitive in enumerate(mesh.primitives):
            yield f"{mesh.name}[{number}]", primitive


def indices_within_vertices(scene: Scene) -> Iterator[str]:
    """Every index names a vertex."""
    for name, primitive in _primitives(scene):
        if primitive.indices.size and int(primitive.indices.max()) >= len(primitive.positions):
            yield f"{name}: an index is beyond the {len(primitive.positions)} vertices"


def positions_finite(scene: Scene) -> Iterator[str]:
    """No position is NaN or infinite."""
    for name, primitive in _primitives(scene):
        if not np.isfinite(primitive.positions).all():
            yield f"{name}: a position is not a number"


def attributes_same_length(scene: Scene) -> Iterator[str]:
    """Every attribute has one row a vertex."""
    for name, primitive in _primitives(scene):
        count = len(primitive.positions)
        single = (primitive.normals, primitive.tangents, primitive.colors, primitive.joints)
        for array in (*single, primitive.weights, *primitive.uvs):
            if array is not None and len(array) != count:
                yield f"{name}: an attribute has {len(array)} rows for {count} vertices"


def references_within_tuples(scene: Scene) -> Iterator[str]:
    """Indices of meshes, materials, textures and images point at something."""
    for _, node, mesh in parts(scene):
        for primitive in mesh.primitives:
            if primitive.material is not None and not 0 <= primitive.material < len(scene.materials):
                yield f"{node.name}: material {primitive.material} does not exist"
    for texture in scene.textures:
        if not 0 <= texture.image < len(scene.images):
            yield f"image {texture.image} does not exist"


def tree_without_cycles(scene: Scene) -> Iterator[str]:
    """Each node has one parent at most and is reached once from the roots."""
    reached: set[int] = set()
    pending = list(scene.roots)
    while pending:
        index = pending.pop()
        if index in reached:
            yield f"node {scene.nodes[index].name} is reached twice"
            return
        reached.add(index)
        pending.extend(scene.nodes[index].children)


def names_unique(scene: Scene) -> Iterator[str]:
    """Node names are unique."""
    if len({node.name for node in scene.nodes}) != len(scene.nodes):
        yield "two nodes share a name"


INVARIANTS: tuple[Check, ...] = (
    indices_within_vertices,
    positions_finite,
    attributes_same_length,
    references_within_tuples,
    tree_without_cycles,
    names_unique,
)


def problems(scene: Scene) -> list[str]:
    """All broken invariants, in words; empty for a sound scene."""
    return [problem for check in INVARIANTS for problem in check(scene)]

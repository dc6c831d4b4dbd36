"""Ways through a scene: parts, world transforms, world-space arrays."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from dataclasses import replace

import numpy as np

from pruxel.core.base.arrays import DoubleArray, FloatArray
from pruxel.core.geometry.transforms import compose, decompose, normal_matrix, transform_points
from pruxel.core.scene.model import Mesh, Node, Primitive, Scene, as_matrix

_SHEARED = 1e-5


def local_matrix(node: Node) -> DoubleArray:
    """The (4, 4) float64 parent_from_local matrix of a node."""
    if node.matrix is not None:
        return np.array(node.matrix, np.float64)
    return compose(node.translation, node.rotation, node.scale)


def placed_by(node: Node, matrix: DoubleArray) -> Node:
    """The node placed by a (4, 4) affine matrix, which is kept whole only where it shears."""
    translation, rotation, scale = decompose(matrix)
    placed = replace(node, translation=translation, rotation=rotation, scale=scale, matrix=None)
    size = float(np.abs(matrix[:3, :3]).max()) or 1.0
    if np.abs(compose(translation, rotation, scale) - matrix)[:3, :3].max() > _SHEARED * size:
        return replace(placed, matrix=as_matrix(matrix))
    return placed


def in_order(scene: Scene) -> Iterator[int]:
    """The shown nodes, each after the one above it, siblings in their order. Asks for a tree without rings."""
    yield from downward(scene, scene.roots)


def downward(scene: Scene, tops: Sequence[int]) -> Iterator[int]:
    """Some nodes and all below them, each after the one above it, siblings in their order."""
    pending = list(reversed(tops))
    while pending:
        index = pending.pop()
        yield index
        pending += reversed(scene.nodes[index].children)


def every_in_order(scene: Scene) -> Iterator[int]:
    """All nodes, also those that are not shown, each after the one above it, siblings in their order."""
    yield from downward(scene, [index for index, above in enumerate(parents_of(scene)) if above < 0])


def parents_of(scene: Scene) -> list[int]:
    """The node above each, -1 for none."""
    above = [-1] * len(scene.nodes)
    for index, node in enumerate(scene.nodes):
        for child in node.children:
            above[child] = index
    return above


def world_from_local(scene: Scene) -> DoubleArray:
    """Compute the (n, 4, 4) float64 matrix of every node, also of those that are not shown."""
    matrices = np.stack([local_matrix(node) for node in scene.nodes] or [np.eye(4)])
    above = parents_of(scene)
    pending = [index for index, parent in enumerate(above) if parent < 0]
    while pending:
        index = pending.pop()
        for child in scene.nodes[index].children:
            matrices[child] = matrices[index] @ matrices[child]
            pending.append(child)
    return matrices


def parts(scene: Scene) -> Iterator[tuple[int, Node, Mesh]]:
    """All shown nodes that carry a mesh, in the order of the nodes."""
    for index in sorted(in_order(scene)):
        node = scene.nodes[index]
        if node.mesh is not None:
            yield index, node, scene.meshes[node.mesh]


def wearers(scene: Scene, materials: Collection[int]) -> tuple[str, ...]:
    """The names of the parts of which a surface wears one of these materials, each once."""
    worn = (n.name for _, n, mesh in parts(scene) if any(p.material in materials for p in mesh.primitives))
    return tuple(dict.fromkeys(worn))


def joint_tree(scene: Scene) -> Iterator[tuple[str, int]]:
    """Names of the joints of all skins, each before those below it, with how many joints stand above."""
    joints = {joint for skin in scene.skins for joint in skin.joints}
    pending = [(root, 0) for root in reversed(scene.roots)]
    while pending:
        index, depth = pending.pop()
        if index in joints:
            yield scene.nodes[index].name, depth
            depth += 1
        pending += [(child, depth) for child in reversed(scene.nodes[index].children)]


def node_named(scene: Scene, name: str) -> int | None:
    """The index of the node of that name."""
    return next((i for i, node in enumerate(scene.nodes) if node.name == name), None)


def world_positions(primitive: Primitive, matrix: DoubleArray) -> FloatArray:
    """The (n, 3) positions in world space."""
    return transform_points(primitive.positions, matrix)


def world_normals(primitive: Primitive, matrix: DoubleArray) -> FloatArray | None:
    """The (n, 3) unit normals in world space."""
    if primitive.normals is None:
        return None
    turned = primitive.normals @ normal_matrix(matrix).T.astype(np.float32)
    length = np.sqrt(np.einsum("ij,ij->i", turned, turned))[:, None]
    return (turned / np.maximum(length, np.float32(1e-20))).astype(np.float32)


def bare_nodes(scene: Scene) -> set[int]:
    """The nodes that hold neither a mesh nor a camera nor a light: joints, where no skin says which are."""
    return {n for n, one in enumerate(scene.nodes) if one.mesh is None and one.camera is None and one.light is None}

"""Placements that translation, rotation and scale can say. Source: glTF 2.0, section 3.5.3 (no skew or shear)."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from pruxel.core.base.arrays import DoubleArray, FloatArray, as_floats, frozen
from pruxel.core.formats.ready.parts import listed
from pruxel.core.geometry.transforms import compose, decompose, normal_matrix, transform_points
from pruxel.core.scene.edit import edit_meshes
from pruxel.core.scene.model import Mesh, MorphTarget, Node, Primitive, Scene
from pruxel.core.scene.pose import moved
from pruxel.core.scene.walk import local_matrix, parents_of

_EXACT = 1e-9


def with_straight_placements(scene: Scene, told: list[str]) -> Scene:
    """What a sheared placement adds to translation, rotation and scale goes into vertices, joints and nodes below.

    What a clip moves cannot take it and stands without.
    """
    if all(node.matrix is None for node in scene.nodes):
        return scene
    moving = {c.node for clip in scene.clips for c in clip.channels if c.path != "weights"}
    nodes, rest, lost = _straightened(scene, moving)
    if rest:
        told.append(
            f"sheared placements are worked into the vertices: {listed([scene.nodes[i].name for i in sorted(rest)])}"
        )
    if lost:
        told.append(f"moved by a clip, and so without their shear: {listed([scene.nodes[i].name for i in lost])}")
    skins = tuple(
        replace(
            skin,
            inverse_bind=frozen(
                np.stack(
                    [rest.get(j, np.eye(4)) @ bind for j, bind in zip(skin.joints, skin.inverse_bind, strict=True)]
                )
            ),
        )
        if rest.keys() & set(skin.joints)
        else skin
        for skin in scene.skins
    )
    made = replace(scene, nodes=tuple(nodes), skins=skins)
    for index, more in rest.items():
        node = made.nodes[index]
        if node.mesh is not None and node.skin is None:
            made = edit_meshes(made, [index], lambda mesh, more=more: _baked(mesh, more))  # type: ignore[misc]
    return made


def _straightened(scene: Scene, moving: set[int]) -> tuple[list[Node], dict[int, DoubleArray], list[int]]:
    """The nodes without matrices, what is left over of each placement, and the nodes that lose it."""
    nodes, rest, lost = list(scene.nodes), dict[int, DoubleArray](), list[int]()
    pending = [index for index, above in enumerate(parents_of(scene)) if above < 0]
    over: dict[int, DoubleArray] = {}
    while pending:
        index = pending.pop()
        node = scene.nodes[index]
        pending += node.children
        inherited = over.get(index)
        if node.matrix is None and inherited is None:
            continue
        if index in moving:
            nodes[index] = replace(node, matrix=None)
            lost.append(index)
            continue
        whole = local_matrix(node) if inherited is None else inherited @ local_matrix(node)
        translation, rotation, scale = decompose(whole)
        nodes[index] = replace(node, matrix=None, translation=translation, rotation=rotation, scale=scale)
        straight = compose(translation, rotation, scale)
        if not all(scale):
            continue
        more = np.linalg.inv(straight) @ whole
        if np.abs(more - np.eye(4)).max() > _EXACT:
            rest[index] = more
            over.update(dict.fromkeys(node.children, more))
    return nodes, rest, lost


def _baked(mesh: Mesh, matrix: DoubleArray) -> Mesh:
    return replace(
        mesh,
        primitives=tuple(_with_targets(moved(p, matrix), p, matrix) for p in mesh.primitives),
        strokes=tuple(replace(s, positions=transform_points(s.positions, matrix)) for s in mesh.strokes),
    )


def _with_targets(made: Primitive, before: Primitive, matrix: DoubleArray) -> Primitive:
    """Offsets turn with the vertices that they move; those of normals as far as a linear change carries them."""
    linear, cofactors = matrix[:3, :3], normal_matrix(matrix)
    length = 1.0 if before.normals is None else np.linalg.norm(before.normals @ cofactors.T, axis=1, keepdims=True)

    def turned(target: MorphTarget) -> MorphTarget:
        normals = None if target.normals is None else as_floats(target.normals @ cofactors.T / length, 3)
        return replace(
            target, positions=_by(target.positions, linear), normals=normals, tangents=_by(target.tangents, linear)
        )

    return replace(made, targets=tuple(turned(target) for target in made.targets)) if made.targets else made


def _by(offsets: FloatArray | None, linear: DoubleArray) -> FloatArray | None:
    return None if offsets is None else as_floats(offsets @ linear.T, 3)

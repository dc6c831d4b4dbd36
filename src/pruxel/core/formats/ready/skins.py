"""Skins as the format asks for them. Source: glTF 2.0, section 3.7.3 (skins, skinned mesh attributes)."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from pruxel.core.base.arrays import AnyArray, FloatArray, as_floats, frozen
from pruxel.core.scene.edit import drop_unused, unique_names
from pruxel.core.scene.looking import shown_apart
from pruxel.core.scene.model import Clip, Mesh, Node, Primitive, Scene, Skin
from pruxel.core.scene.walk import parents_of


def with_clean_skins(scene: Scene, told: list[str]) -> Scene:
    """Weights that sum to one, unused joints zero, skinned parts at the top, each skeleton below one shown node."""
    if not scene.skins and not any(p.joints is not None for mesh in scene.meshes for p in mesh.primitives):
        return scene
    scene = _skinned_apart(scene)
    scene = _cleaned(scene, told)
    scene = _at_the_top(scene)
    scene = _under_one_root(scene)
    return drop_unused(scene)


def _skinned_apart(scene: Scene) -> Scene:
    """Meshes of nodes with a skin are all weighted, those of others not at all: what differs gets a node of its own."""
    nodes, meshes = list(scene.nodes), list(scene.meshes)
    twins: dict[int, int] = {}

    def use(index: int, keep: Callable[[Primitive], bool]) -> int:
        mesh = scene.meshes[index]
        kept = tuple(p for p in mesh.primitives if keep(p))
        if len(kept) == len(mesh.primitives):
            return index
        meshes.append(replace(mesh, primitives=kept))
        return len(meshes) - 1

    for index, node in enumerate(scene.nodes):
        if node.mesh is None:
            continue
        mesh = scene.meshes[node.mesh]
        weighted = [p.joints is not None for p in mesh.primitives]
        if node.skin is None:
            if any(weighted):
                meshes.append(
                    replace(mesh, primitives=tuple(replace(p, joints=None, weights=None) for p in mesh.primitives))
                )
                nodes[index] = replace(node, mesh=len(meshes) - 1)
        elif not any(weighted):
            nodes[index] = replace(node, skin=None)
        elif not all(weighted):
            loose = Node(
                f"{node.name}.loose",
                mesh=use(node.mesh, lambda p: p.joints is None),
                weights=node.weights,
                role=node.role,
                detail=node.detail,
            )
            nodes.append(loose)
            twins[index] = len(nodes) - 1
            held = use(node.mesh, lambda p: p.joints is not None)
            nodes[index] = replace(node, mesh=held, children=(*node.children, len(nodes) - 1))
    return replace(scene, nodes=unique_names(nodes), meshes=tuple(meshes), clips=_shaped_alike(scene.clips, twins))


def _shaped_alike(clips: tuple[Clip, ...], twins: dict[int, int]) -> tuple[Clip, ...]:
    """What a clip does to the shape of a part it does to what was taken from it."""
    if not twins:
        return clips
    return tuple(
        replace(
            clip,
            channels=(
                *clip.channels,
                *(replace(c, node=twins[c.node]) for c in clip.channels if c.path == "weights" and c.node in twins),
            ),
        )
        for clip in clips
    )


def _cleaned(scene: Scene, told: list[str]) -> Scene:
    def cleaned(mesh: Mesh) -> Mesh:
        return replace(mesh, primitives=tuple(_clean_primitive(p, mesh.name, told) for p in mesh.primitives))

    return replace(scene, meshes=tuple(cleaned(mesh) for mesh in scene.meshes))


def _clean_primitive(primitive: Primitive, name: str, told: list[str]) -> Primitive:
    if primitive.joints is None or primitive.weights is None:
        return primitive
    joints, weights, unbound = clean_influences(primitive.joints, primitive.weights)
    if unbound:
        told.append(f"'{name}': {unbound:,} vertices follow no joint; they are bound to the first")
    if joints is primitive.joints and weights is primitive.weights:
        return primitive
    return replace(primitive, joints=joints, weights=weights)


def clean_influences(joints: AnyArray, weights: FloatArray) -> tuple[AnyArray, FloatArray, int]:
    """Weights that sum to one, no joint twice, 0 for joint and weight where nothing pulls, a multiple of four columns.

    joints (n, k) uint16 and weights (n, k) float32, 0 or more. Returns both and how many vertices had no weight at all.
    What is clean already comes back as the same arrays.
    """
    if _is_clean(joints, weights):
        return joints, weights, 0
    width = -(-joints.shape[1] // 4) * 4
    wide = np.zeros((len(joints), width), np.uint16)
    pull = np.zeros((len(joints), width), np.float64)
    wide[:, : joints.shape[1]], pull[:, : joints.shape[1]] = joints, weights
    for column in range(1, width):
        for earlier in range(column):
            again = (wide[:, earlier] == wide[:, column]) & (pull[:, earlier] > 0) & (pull[:, column] > 0)
            pull[:, earlier] += np.where(again, pull[:, column], 0)
            pull[again, column] = 0
    total = pull.sum(axis=1, keepdims=True)
    unbound = total[:, 0] <= 0
    pull /= np.where(total > 0, total, 1)
    pull[unbound, 0], wide[unbound, 0] = 1, 0
    wide[pull == 0] = 0
    used = max((k + 4 for k in range(0, width, 4) if (pull[:, k : k + 4] > 0).any()), default=4)
    return frozen(np.ascontiguousarray(wide[:, :used])), as_floats(pull[:, :used], used), int(unbound.sum())


def _is_clean(joints: AnyArray, weights: FloatArray) -> bool:
    if joints.shape[1] % 4 or (joints[weights == 0] != 0).any() or joints.dtype != np.uint16:
        return False
    if float(np.abs(weights.sum(axis=1, dtype=np.float64) - 1).max(initial=0)) > 1e-6:
        return False
    return not any(
        ((joints[:, a] == joints[:, b]) & (weights[:, a] > 0) & (weights[:, b] > 0)).any()
        for b in range(1, joints.shape[1])
        for a in range(b)
    )


def _at_the_top(scene: Scene) -> Scene:
    """Skinned parts stand at the top without a placement: their joints alone decide where they are.

    A node that is more than its part (it has children, is a joint, is moved, holds a camera) leaves a place behind.
    """
    above = parents_of(scene)
    more = {joint for skin in scene.skins for joint in skin.joints}
    more |= {c.node for clip in scene.clips for c in clip.channels if c.path != "weights"}
    parts = [index for index, node in enumerate(scene.nodes) if node.skin is not None]
    nodes, place_of = list(scene.nodes), dict[int, int]()
    for index in parts:
        node = scene.nodes[index]
        if node.children or index in more or node.camera is not None or node.light is not None:
            place_of[index] = len(nodes)
            nodes.append(replace(node, name=f"{node.name}.place", mesh=None, skin=None, weights=None))
        nodes[index] = Node(
            node.name,
            mesh=node.mesh,
            skin=node.skin,
            weights=node.weights,
            role=node.role,
            detail=node.detail,
            extras=node.extras,
            origin=node.origin,
        )
    gone = set(parts) - place_of.keys()
    nodes = [replace(n, children=_instead(n.children, place_of, gone)) if n.children else n for n in nodes]

    def tops(roots: tuple[int, ...]) -> tuple[int, ...]:
        shown = [index for index in parts if _top(index, above) in roots]
        return (*_instead(roots, place_of, gone), *shown)

    chains: dict[int, list[int]] = {index: _chain(index, above) for index in parts}
    chains |= {place: [index] for index, place in place_of.items()}
    return replace(
        scene,
        nodes=unique_names(nodes),
        roots=tops(scene.roots),
        stages=tuple(replace(stage, roots=tops(stage.roots)) for stage in scene.stages),
        skins=tuple(replace(skin, joints=_instead(skin.joints, place_of, set())) for skin in scene.skins),
        clips=tuple(
            replace(
                clip,
                channels=tuple(
                    c if c.path == "weights" else replace(c, node=place_of.get(c.node, c.node)) for c in clip.channels
                ),
                shown=shown_apart(clip, chains) if clip.shown else (),
            )
            for clip in scene.clips
        ),
    )


def _instead(numbers: tuple[int, ...], place_of: dict[int, int], gone: set[int]) -> tuple[int, ...]:
    return tuple(place_of.get(number, number) for number in numbers if number not in gone)


def _top(index: int, above: list[int]) -> int:
    return _chain(index, above)[-1]


def _chain(index: int, above: list[int]) -> list[int]:
    """The node and all above it."""
    found = [index]
    while above[found[-1]] >= 0:
        found.append(above[found[-1]])
    return found


def _under_one_root(scene: Scene) -> Scene:
    """A skeleton of several trees gets a common root; one that is not shown is added to the roots."""
    above = parents_of(scene)
    nodes, roots = list(scene.nodes), list(scene.roots)

    skins: list[Skin] = []
    for skin in scene.skins:
        tops = list(dict.fromkeys(_top(joint, above) for joint in skin.joints))
        for top in tops:
            if top not in roots:
                _show_no_parts(nodes, top)
        if len(tops) > 1:
            nodes.append(Node(f"{skin.name}.root", children=tuple(tops)))
            above.append(-1)
            for top in tops:
                above[top] = len(nodes) - 1
            roots = [r for r in roots if r not in tops] + [len(nodes) - 1]
            tops = [len(nodes) - 1]
        if tops[0] not in roots:
            roots.append(tops[0])
        holds = skin.skeleton is not None and all(_below(joint, skin.skeleton, above) for joint in skin.joints)
        skins.append(skin if holds else replace(skin, skeleton=None))
    stages = tuple(replace(s, roots=tuple(r for r in s.roots if above[r] < 0)) for s in scene.stages)
    return replace(scene, nodes=unique_names(nodes), roots=tuple(roots), skins=tuple(skins), stages=stages)


def _show_no_parts(nodes: list[Node], top: int) -> None:
    """A tree that comes in for its joints alone brings nothing along that is seen."""
    pending = [top]
    while pending:
        index = pending.pop()
        pending += nodes[index].children
        nodes[index] = replace(nodes[index], mesh=None, skin=None, camera=None, light=None, weights=None)


def _below(index: int, top: int, above: list[int]) -> bool:
    while index >= 0:
        if index == top:
            return True
        index = above[index]
    return False

"""Joints of a skeleton → nodes with a skin; and a model's parts hung on it."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np

from pruxel.core.base.arrays import DoubleArray, as_floats, frozen
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, Fault, InputError
from pruxel.core.binary.records import Record
from pruxel.core.binary.schema import ExpressionText
from pruxel.core.binary.values import text_of
from pruxel.core.extract.conventions import turned_matrices, turning
from pruxel.core.extract.file import ParsedFile, rows
from pruxel.core.extract.placing import PlacingSpec, depths_of, matrix_in, parents_first
from pruxel.core.geometry.transforms import decompose
from pruxel.core.scene.edit import drop_unused, merge, tree_of, unique_names
from pruxel.core.scene.model import Mesh, Node, Primitive, Scene, Skin
from pruxel.core.scene.walk import world_from_local, world_normals, world_positions


class SkeletonsSpec(PlacingSpec):
    """Where skeletons keep their joints: one skeleton an item of `each`, the whole file being one without it.

    `joints` are records, a list, or how many; all else is said of a joint. `parent` is the number of a joint of the
    same skeleton, or below zero; it may stand behind. The pose at rest is `relative_to` the joint's parent, the model,
    or is the `inverse` of the latter (model to joint).
    """

    each: ExpressionText | None = None
    """The records that are skeletons; joints of several are numbered through."""
    where: ExpressionText | None = None
    """A condition: which of them count."""
    name: ExpressionText | None = None
    """Of the skeleton."""
    joints: ExpressionText
    """Its joints: records, a list, or how many."""
    joint: ExpressionText | None = None
    """The joint's name; numbers without it."""
    parent: ExpressionText | None = None
    """The number of its parent, which may stand behind it, or below zero."""
    relative_to: Literal["parent", "model", "inverse"] = "parent"
    """What the pose at rest is relative to: `parent`, `model`, or `inverse` (it leads from the model to the joint)."""


def read_skeletons(file: ParsedFile, context: Context) -> list[Scene]:
    """A scene without meshes for each skeleton of a file: one node a joint, in the file's order, and one skin."""
    spec = file.spec("skeletons", SkeletonsSpec)
    found = []
    for number, scope in enumerate(rows(spec.each, spec.where, file.head, file.entry)):
        name = text_of(spec.name, scope, file.entry) if spec.name else file.stem
        if spec.each is not None and spec.name is None:
            name = f"{file.stem}.{number}"
        found.append(_skeleton(spec, scope, name, file, context))
    if not found:
        raise InputError(ErrorCode.MALFORMED, "there is no skeleton", file=file.entry, field=spec.each)
    return found


def read_skeleton(file: ParsedFile, context: Context) -> Scene:
    """All skeletons of a file as one scene, their joints numbered through; raises `InputError`."""
    found = read_skeletons(file, context)
    if len(found) == 1:
        return found[0]
    whole = merge(file.stem, found)
    bind = np.concatenate([one.skins[0].inverse_bind for one in found])
    return replace(
        whole, skins=(Skin(file.stem, tuple(range(len(whole.nodes))), frozen(bind), skeleton=whole.roots[0]),)
    )


def _skeleton(spec: SkeletonsSpec, scope: Record, name: str, file: ParsedFile, context: Context) -> Scene:
    joints = list(rows(spec.joints, None, scope, file.entry))
    if not joints:
        raise InputError(ErrorCode.MALFORMED, "the skeleton has no joints", file=file.entry, field=spec.joints)
    parents = parents_first(joints, spec.parent, None, file.entry)
    context.check()
    stored = np.stack([matrix_in(spec, joint, file.entry) for joint in joints])
    world = _world(spec, stored, parents, joints, file.entry)
    ours = turned_matrices(world, turning(file.conventions))
    local = ours.copy()
    hanging = np.flatnonzero(np.asarray(parents) >= 0)
    local[hanging] = np.linalg.inv(ours[np.asarray(parents)[hanging]]) @ ours[hanging]
    nodes = []
    for number, joint in enumerate(joints):
        place = file.origin(spec.joints, number, joint.start)
        named = text_of(spec.joint, joint, file.entry) if spec.joint else f"joint {number}"
        translation, rotation, scale = decompose(local[number])
        nodes.append(Node(named, translation=translation, rotation=rotation, scale=scale, origin=place))
    tree, roots = tree_of(nodes, parents)
    scene = Scene(name, nodes=tree, roots=roots)
    inverse_bind: DoubleArray = np.linalg.inv(world_from_local(scene)).astype(np.float64)
    skin = Skin(name, tuple(range(len(nodes))), frozen(inverse_bind), skeleton=scene.roots[0])
    return replace(scene, skins=(skin,))


def _world(
    spec: SkeletonsSpec, stored: DoubleArray, parents: list[int], joints: list[Record], entry: str
) -> DoubleArray:
    """(j, 4, 4) matrices model_from_joint in the file's own axes and unit."""
    if spec.relative_to == "model":
        return stored
    if spec.relative_to == "inverse":
        return np.linalg.inv(stored).astype(np.float64)
    depths = depths_of(parents, joints, spec.parent or "", entry)
    world = stored.copy()
    for number in sorted(range(len(parents)), key=depths.__getitem__):
        if parents[number] >= 0:
            world[number] = world[parents[number]] @ stored[number]
    if not np.isfinite(world).all():
        raise InputError(ErrorCode.MALFORMED, "the joints stand nowhere", file=entry, field=spec.joints)
    return world


def on_skeleton(model: Scene, skeleton: Scene) -> tuple[Scene, list[Fault]]:
    """The model's weighted parts bound to the skeleton's joints, which come first among the nodes.

    A skin disregards where its part stands, so positions are baked into the model's space. A part that names joints
    beyond the skeleton stays rigid and comes back as a fault.
    """
    shift, count = len(skeleton.nodes), len(skeleton.skins[0].joints)
    matrices = world_from_local(model)
    nodes, meshes, faults = list[Node](), list(model.meshes), list[Fault]()
    for index, node in enumerate(model.nodes):
        children = tuple(child + shift for child in node.children)
        mesh = None if node.mesh is None else model.meshes[node.mesh]
        if mesh is None or not any(p.joints is not None for p in mesh.primitives):
            nodes.append(replace(node, children=children))
            continue
        most = max(int(p.joints.max(initial=0)) for p in mesh.primitives if p.joints is not None)
        if most >= count or children:
            faults.append(
                Fault(
                    ErrorCode.REFERENCE,
                    f"part '{node.name}' is not bound to the skeleton",
                    file=node.origin.entry,
                    expected=f"joints below {count} and no parts below it",
                    found=f"joint {most}, {len(children)} parts below",
                )
            )
            nodes.append(replace(node, children=children, skin=None))
            continue
        meshes.append(
            Mesh(
                mesh.name,
                tuple(_baked(p, matrices[index]) for p in mesh.primitives),
                target_weights=mesh.target_weights,
            )
        )
        nodes.append(
            Node(node.name, mesh=len(meshes) - 1, skin=0, role=node.role, detail=node.detail, origin=node.origin)
        )
    bound = {i for i, node in enumerate(nodes) if node.skin is not None}
    nodes = [replace(n, children=tuple(c for c in n.children if c - shift not in bound)) for n in nodes]
    roots = dict.fromkeys((*model.roots, *sorted(bound)))
    moved = [
        replace(clip, channels=tuple(replace(c, node=c.node + shift) for c in clip.channels)) for clip in model.clips
    ]
    scene = replace(
        model,
        clips=(*skeleton.clips, *moved),
        nodes=unique_names([*skeleton.nodes, *nodes]),
        roots=(*skeleton.roots, *(root + shift for root in roots)),
        meshes=tuple(meshes),
        skins=skeleton.skins,
    )
    return drop_unused(scene), faults


def _baked(primitive: Primitive, matrix: DoubleArray) -> Primitive:
    normals = world_normals(primitive, matrix)
    weights = primitive.weights
    if weights is not None:
        total = weights.sum(axis=1, keepdims=True)
        first = np.zeros_like(weights)
        first[:, 0] = 1
        weights = as_floats(np.where(total > 1e-6, weights / np.maximum(total, 1e-6), first), weights.shape[1])
    return replace(
        primitive,
        positions=as_floats(world_positions(primitive, matrix), 3),
        normals=None if normals is None else as_floats(normals, 3),
        weights=weights,
    )

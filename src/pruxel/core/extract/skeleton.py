"""Records of a skeleton → joints as nodes with a skin; and a model's parts hung on it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from pruxel.core.base.arrays import DoubleArray, as_floats, frozen
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, Fault, InputError
from pruxel.core.binary.parse import parse
from pruxel.core.binary.schema import ExpressionText, Layout, Strict
from pruxel.core.binary.values import numbers_of, rows_of, text_of, whole_of
from pruxel.core.extract.conventions import turn_placement, turning
from pruxel.core.extract.validate import extract_spec
from pruxel.core.scene.edit import drop_unused, tree_of, unique_names
from pruxel.core.scene.model import Mesh, Node, Primitive, Scene, Skin
from pruxel.core.scene.origin import Origin
from pruxel.core.scene.walk import world_from_local, world_normals, world_positions
from pruxel.core.sources.profile import Conventions

_SMALLEST_SCALE = 1e-6
_LARGEST = 1e9


class SkeletonExtract(Strict):
    """Where a skeleton keeps its joints: `parent` is the number of an earlier joint, or below zero.

    Translation, rotation (a quaternion xyzw) and scale are those of the bind pose, relative to the parent.
    """

    joints: ExpressionText
    name: ExpressionText
    parent: ExpressionText
    translation: ExpressionText
    rotation: ExpressionText | None = None
    scale: ExpressionText | None = None
    conventions: Conventions | None = None


def read_skeleton(data: memoryview, layout: Layout, entry: str, defaults: Conventions, context: Context) -> Scene:
    """A scene without meshes: one node a joint, in the file's order, and one skin; raises `InputError`."""
    spec = extract_spec(layout, SkeletonExtract)
    head = parse(layout, data, entry, context)
    how = spec.conventions or defaults
    turned, origin = turning(how), Origin(entry=entry, conventions=how.words())
    nodes: list[Node] = []
    parents: list[int] = []
    for number, joint in enumerate(rows_of(spec.joints, head, entry)):
        context.check()
        parent = whole_of(spec.parent, joint, entry)
        if parent >= number:
            raise InputError(
                ErrorCode.REFERENCE,
                "a joint stands before its parent",
                file=entry,
                offset=joint.start,
                field=f"{spec.joints}[{number}].{spec.parent}",
                expected=f"a number below {number}",
                found=str(parent),
                hint="The layout may read the parent wrongly, or count joints from one.",
            )
        stored = (
            np.asarray(numbers_of(spec.translation, joint, entry, 3)),
            np.asarray((0.0, 0.0, 0.0, 1.0) if spec.rotation is None else numbers_of(spec.rotation, joint, entry, 4)),
            np.asarray((1.0, 1.0, 1.0) if spec.scale is None else numbers_of(spec.scale, joint, entry, 3)),
        )
        if not _sensible(stored):
            raise InputError(
                ErrorCode.MALFORMED,
                "a joint stands nowhere, or has no size",
                file=entry,
                offset=joint.start,
                field=f"{spec.joints}[{number}]",
                expected="three, four and three finite numbers, and a scale that is not zero",
                found=", ".join(str(part.tolist()) for part in stored),
            )
        translation, rotation, scale = turn_placement(*stored, turned)
        parents.append(parent)
        place = replace(origin, record=f"{spec.joints}[{number}]", start=joint.start)
        named = text_of(spec.name, joint, entry)
        nodes.append(Node(named, translation=translation, rotation=rotation, scale=scale, origin=place))
    if not nodes:
        raise InputError(ErrorCode.MALFORMED, "the skeleton has no joints", file=entry, field=spec.joints)
    name = entry.rsplit("/", 1)[-1].rsplit(".", 1)[0]
    tree, roots = tree_of(nodes, parents)
    scene = Scene(name, nodes=tree, roots=roots)
    inverse_bind: DoubleArray = np.linalg.inv(world_from_local(scene)).astype(np.float64)
    skin = Skin(name, tuple(range(len(nodes))), frozen(inverse_bind), skeleton=scene.roots[0])
    return replace(scene, skins=(skin,))


def _sensible(stored: tuple[DoubleArray, DoubleArray, DoubleArray]) -> bool:
    """Whether matrices of these can be made and undone."""
    large = max(float(np.abs(part).max()) for part in stored) if np.isfinite(np.concatenate(stored)).all() else np.inf
    return large < _LARGEST and float(np.abs(stored[2]).min()) > _SMALLEST_SCALE


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
    scene = replace(
        model,
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

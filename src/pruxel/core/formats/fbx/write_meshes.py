"""Meshes, their shapes and their skins as objects of FBX.

A mesh has control points, and for each corner of its polygons normals, tangents, UVs and colours in layers. What a file
stores of vertices that differ only in those becomes one control point here.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray, FloatArray
from pruxel.core.formats.fbx.document import Document, number, table
from pruxel.core.formats.fbx.elements import Element, Int64
from pruxel.core.geometry.colors import srgb_from_linear
from pruxel.core.geometry.normals import vertex_normals
from pruxel.core.geometry.polygons import outlines
from pruxel.core.geometry.unique import bits_of, unique_rows
from pruxel.core.native.rows import taken
from pruxel.core.native.threads import Aside
from pruxel.core.scene.model import Mesh, Node, Primitive, Scene

UV_NAMES = ("UVMap", "UVMap2", "UVMap3", "UVMap4", "UVMap5", "UVMap6", "UVMap7", "UVMap8")


@dataclass(frozen=True, eq=False)
class Written:
    """A mesh that stands in the document, and which vertex each control point was first.

    `first` (p,) int64 counts through the vertices of all primitives; `channels` are the shapes' objects in order.
    """

    ident: Int64
    first: AnyArray
    channels: tuple[Int64, ...]


def write_mesh(document: Document, mesh: Mesh, weights: Sequence[float], *, join_vertices: bool) -> Written:
    """The geometry of a mesh with its shapes, of which `weights` says how much each counts at rest."""
    primitives = mesh.primitives
    joining = Aside(lambda: _control_points(primitives, join=join_vertices))
    shifts = np.cumsum([0, *(len(p.positions) for p in primitives)])
    faces = [_faces(p) for p in primitives]
    corners = np.concatenate([c + s if s else c for (c, _), s in zip(faces, shifts, strict=False)], dtype=np.int32)
    sizes = np.concatenate([s for _, s in faces])
    laid = Element("")
    layers = [
        *_normals(laid, primitives, corners),
        *_tangents(laid, primitives, corners),
        *_uvs(laid, primitives, corners),
        *_colors(laid, primitives, corners),
        *_materials(laid, primitives, [len(s) for _, s in faces]),
    ]

    ident, made = document.add("Geometry", mesh.name, "Mesh")
    made.children.append(table())
    made.add("GeometryVersion", 124)
    first, new_of_old = joining.result()
    positions = taken(np.concatenate([p.positions for p in primitives]), first)
    made.add("Vertices", positions.astype(np.float64).reshape(-1))
    points = taken(new_of_old.astype(np.int32), corners)
    ends = np.cumsum(sizes) - 1
    points[ends] = ~points[ends]
    made.add("PolygonVertexIndex", points)
    made.children += laid.children
    for row in range(max((n for _, n in layers), default=0) + 1):
        layer = made.add("Layer", row)
        layer.add("Version", 100)
        for kind, place in layers:
            if place == row:
                one = layer.add("LayerElement")
                one.add("Type", kind)
                one.add("TypedIndex", row)
    return Written(ident, first, _shapes(document, ident, mesh, first, weights))


def _faces(primitive: Primitive) -> tuple[AnyArray, AnyArray]:
    """Vertices of the corners of all faces (c,), and how many corners each has (f,)."""
    if primitive.face_sizes is None:
        return primitive.indices.reshape(-1), np.full(len(primitive.indices), 3)
    return outlines(primitive.indices, primitive.face_sizes), primitive.face_sizes


def _control_points(primitives: Sequence[Primitive], *, join: bool) -> tuple[AnyArray, AnyArray]:
    """The first vertex of each control point, and the control point of each vertex of all primitives."""
    count = sum(len(p.positions) for p in primitives)
    if not join:
        return np.arange(count), np.arange(count)
    columns = [np.concatenate([bits_of(p.positions) for p in primitives])]
    width = max((0 if p.joints is None else p.joints.shape[1]) for p in primitives)
    if width:
        columns.append(np.concatenate([_wide(p.joints, len(p.positions), width).astype(np.int32) for p in primitives]))
        columns.append(np.concatenate([bits_of(_wide(p.weights, len(p.positions), width)) for p in primitives]))
    for number_ in range(max(len(p.targets) for p in primitives)):
        moves = [_moves(p, number_) for p in primitives]
        columns.append(np.concatenate([bits_of(one) for one in moves]))
    return unique_rows(np.concatenate(columns, axis=1))


def _wide(values: AnyArray | None, count: int, width: int) -> AnyArray:
    if values is None:
        return np.zeros((count, width), np.float32)
    return np.pad(values, ((0, 0), (0, width - values.shape[1])))


def _moves(primitive: Primitive, target: int) -> FloatArray:
    found = primitive.targets[target].positions if target < len(primitive.targets) else None
    return np.zeros_like(primitive.positions) if found is None else found


def _layer(made: Element, kind: str, row: int, name: str, version: int, mapping: str, reference: str) -> Element:
    layer = made.add(kind, row)
    layer.add("Version", version)
    layer.add("Name", name)
    layer.add("MappingInformationType", mapping)
    layer.add("ReferenceInformationType", reference)
    return layer


def _per_corner(arrays: Sequence[AnyArray], corners: AnyArray) -> AnyArray:
    """Values of all vertices (n, k) → one row of numbers, those of each corner behind each other, float64."""
    return taken(np.concatenate(arrays).astype(np.float64), corners).reshape(-1)


def _normals(made: Element, primitives: Sequence[Primitive], corners: AnyArray) -> list[tuple[str, int]]:
    if all(p.normals is None for p in primitives):
        return []
    values = [vertex_normals(p.positions, p.indices) if p.normals is None else p.normals for p in primitives]
    layer = _layer(made, "LayerElementNormal", 0, "", 101, "ByPolygonVertex", "Direct")
    layer.add("Normals", _per_corner(values, corners))
    return [("LayerElementNormal", 0)]


def _tangents(made: Element, primitives: Sequence[Primitive], corners: AnyArray) -> list[tuple[str, int]]:
    """Tangents and, from these and the normals, what the format calls binormals: only where every vertex has both."""
    tangents = [p.tangents for p in primitives if p.tangents is not None and p.normals is not None]
    if len(tangents) < len(primitives):
        return []
    across = [
        np.cross(p.normals, t[:, :3]) * t[:, 3:]  # type: ignore[arg-type]
        for p, t in zip(primitives, tangents, strict=True)
    ]
    for kind, key, values in (
        ("LayerElementBinormal", "Binormals", across),
        ("LayerElementTangent", "Tangents", [t[:, :3] for t in tangents]),
    ):
        _layer(made, kind, 0, "", 101, "ByPolygonVertex", "Direct").add(key, _per_corner(values, corners))
    return [("LayerElementBinormal", 0), ("LayerElementTangent", 0)]


def _uvs(made: Element, primitives: Sequence[Primitive], corners: AnyArray) -> list[tuple[str, int]]:
    """Each set; V runs up from the bottom. A primitive that lacks a set has zeros there."""
    many = min(max(len(p.uvs) for p in primitives), len(UV_NAMES))
    for row in range(many):
        values = [p.uvs[row] if row < len(p.uvs) else np.zeros((len(p.positions), 2), np.float32) for p in primitives]
        upward = np.concatenate(values).astype(np.float64)
        upward[:, 1] = 1 - upward[:, 1]
        layer = _layer(made, "LayerElementUV", row, UV_NAMES[row], 101, "ByPolygonVertex", "IndexToDirect")
        layer.add("UV", upward.reshape(-1))
        layer.add("UVIndex", corners)
    return [("LayerElementUV", row) for row in range(many)]


def _colors(made: Element, primitives: Sequence[Primitive], corners: AnyArray) -> list[tuple[str, int]]:
    """Each set as display values; a primitive that lacks a set is white there."""
    many = max(len(p.colors) for p in primitives)
    for row in range(many):
        values = [
            _shown(p.colors[row]) if row < len(p.colors) else np.ones((len(p.positions), 4), np.float32)
            for p in primitives
        ]
        layer = _layer(made, "LayerElementColor", row, f"Col{row or ''}", 101, "ByPolygonVertex", "IndexToDirect")
        layer.add("Colors", np.concatenate(values).astype(np.float64).reshape(-1))
        layer.add("ColorIndex", corners)
    return [("LayerElementColor", row) for row in range(many)]


def _shown(colors: FloatArray) -> FloatArray:
    return np.concatenate([srgb_from_linear(colors[:, :3]), colors[:, 3:]], axis=1)


def _materials(made: Element, primitives: Sequence[Primitive], faces: Sequence[int]) -> list[tuple[str, int]]:
    """The material of each face counts through `materials_of`."""
    listed = materials_of(primitives)
    if not listed:
        return []
    if len(listed) == 1:
        layer = _layer(made, "LayerElementMaterial", 0, "", 101, "AllSame", "IndexToDirect")
        layer.add("Materials", np.zeros(1, np.int32))
    else:
        places = {material: place for place, material in enumerate(listed)}
        layer = _layer(made, "LayerElementMaterial", 0, "", 101, "ByPolygon", "IndexToDirect")
        layer.add("Materials", np.repeat([places[p.material or 0] for p in primitives], faces).astype(np.int32))
    return [("LayerElementMaterial", 0)]


def materials_of(primitives: Sequence[Primitive]) -> list[int]:
    """The materials that faces count through: of all primitives, or of none."""
    return list(dict.fromkeys(p.material for p in primitives if p.material is not None))


def _shapes(
    document: Document, ident: Int64, mesh: Mesh, first: AnyArray, weights: Sequence[float]
) -> tuple[Int64, ...]:
    """Each shape as the points that it moves, by how much."""
    names = max((tuple(t.name for t in p.targets) for p in mesh.primitives), key=len, default=())
    if not names:
        return ()
    whole, made = document.add("Deformer", mesh.name, "BlendShape")
    made.add("Version", 100)
    document.join(whole, ident)
    channels = []
    for place, name in enumerate(names):
        moves = np.concatenate([_moves(p, place) for p in mesh.primitives])[first]
        weight = 100.0 * (weights[place] if place < len(weights) else 0.0)
        channel, made = document.add("Deformer", name, "BlendShapeChannel", "SubDeformer")
        made.add("Version", 100)
        made.add("DeformPercent", weight)
        made.children.append(table(number("DeformPercent", weight, "A")))
        made.add("FullWeights", np.array([100.0]))
        document.join(channel, whole)
        shape, made = document.add("Geometry", name, "Shape")
        moving = np.nonzero(moves.any(axis=1))[0]
        made.children.append(table())
        made.add("Version", 100)
        made.add("Indexes", moving.astype(np.int32))
        made.add("Vertices", moves[moving].astype(np.float64).reshape(-1))
        turned = _turned(mesh.primitives, place, first)
        made.add("Normals", turned[moving].astype(np.float64).reshape(-1))
        document.join(shape, channel)
        channels.append(channel)
    return tuple(channels)


def _turned(primitives: Sequence[Primitive], target: int, first: AnyArray) -> AnyArray:
    """By how much a shape changes the normals of control points: of their first vertices."""
    found = [p.targets[target].normals if target < len(p.targets) else None for p in primitives]
    whole = [np.zeros_like(p.positions) if n is None else n for p, n in zip(primitives, found, strict=True)]
    return np.concatenate(whole)[first]


def write_skin(
    document: Document, scene: Scene, node: Node, mesh: Mesh, done: Written, models: dict[int, Int64]
) -> dict[Int64, DoubleArray]:
    """The skin of a part: a cluster of points with weights for each joint.

    Returns where each joint's model stood when it was bound (4, 4).
    """
    assert node.skin is not None
    skin = scene.skins[node.skin]
    ident, made = document.add("Deformer", skin.name, "Skin")
    made.add("Version", 101)
    made.add("Link_DeformAcuracy", 50.0)
    made.add("SkinningType", "Linear")
    document.join(ident, done.ident)
    width = max((0 if p.joints is None else p.joints.shape[1]) for p in mesh.primitives)
    joints = np.concatenate([_wide(p.joints, len(p.positions), width) for p in mesh.primitives])[done.first]
    weights = np.concatenate([_wide(p.weights, len(p.positions), width) for p in mesh.primitives])[done.first]
    point, column = np.nonzero(weights > 0)
    joint, weight = joints[point, column].astype(np.int64), weights[point, column].astype(np.float64)
    order = np.argsort(joint, kind="stable")
    starts = np.searchsorted(joint[order], np.arange(len(skin.joints) + 1))
    bound = {}
    for place, (target, bind) in enumerate(zip(skin.joints, skin.inverse_bind, strict=True)):
        mine = order[starts[place] : starts[place + 1]]
        cluster, made = document.add("Deformer", scene.nodes[target].name, "Cluster", "SubDeformer")
        made.add("Version", 100)
        made.add("UserData", "", "")
        if len(mine):
            made.add("Indexes", point[mine].astype(np.int32))
            made.add("Weights", weight[mine])
        world = np.linalg.inv(bind)
        made.add("Transform", columns(bind))
        made.add("TransformLink", columns(world))
        document.join(cluster, ident)
        document.join(models[target], cluster)
        bound[models[target]] = world
    return bound


def columns(matrix: DoubleArray) -> DoubleArray:
    """A (4, 4) matrix as the sixteen numbers of the file, column by column."""
    return np.ascontiguousarray(matrix.T, np.float64).reshape(-1)

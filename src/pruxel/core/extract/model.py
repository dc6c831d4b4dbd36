"""Records of a model → scene, materials still by name."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from pruxel.core.base.arrays import AnyArray, IndexArray, as_floats, frozen
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, Fault, InputError
from pruxel.core.binary.parse import parse
from pruxel.core.binary.records import Record
from pruxel.core.binary.schema import Layout
from pruxel.core.binary.values import numbers_of, rows_of, text_of, whole_of, wholes_of
from pruxel.core.extract import conventions as turn
from pruxel.core.extract.spec import ModelExtract
from pruxel.core.extract.validate import extract_spec
from pruxel.core.extract.vertices import Attributes, read_indices, read_vertices
from pruxel.core.geometry.normals import vertex_normals
from pruxel.core.scene.edit import tree_of
from pruxel.core.scene.materials import Material
from pruxel.core.scene.model import Mesh, Node, Primitive, Scene
from pruxel.core.scene.origin import Origin
from pruxel.core.sources.profile import Conventions

_ROLES = ("visual", "collision", "helper")


@dataclass(frozen=True, eq=False)
class LooseModel:
    """A model by itself: materials carry only the name that the file gives, and so does its skeleton."""

    scene: Scene
    faults: list[Fault]
    skeleton: str | None = None


def read_model(data: memoryview, layout: Layout, entry: str, defaults: Conventions, context: Context) -> LooseModel:
    """Read a model by its layout.

    A part that cannot be read is left out and returned as a fault; when none can be read, its error is raised.
    """
    spec = extract_spec(layout, ModelExtract)
    head = parse(layout, data, entry, context)
    how = spec.conventions or defaults
    turning, origin = turn.turning(how), Origin(entry=entry, conventions=how.words())
    listed = rows_of(spec.parts, head, entry)
    nodes: list[Node] = []
    meshes: list[Mesh] = []
    materials: dict[str, int] = {}
    faults: list[Fault] = []
    parents: list[int] = []
    for number in range(len(listed)):
        context.progress(number / max(len(listed), 1), entry)
        part = listed[number]
        place = replace(origin, record=f"{spec.parts}[{number}]", start=part.start)
        node = _node(part, spec, turning, entry, place)
        parents.append(_parent(part, spec, entry, number, len(listed)))
        try:
            mesh = _mesh(part, spec, layout, turning, entry, place, materials, node.name)
        except InputError as error:
            faults.append(error.fault)
            nodes.append(node)
            continue
        nodes.append(replace(node, mesh=len(meshes)))
        meshes.append(mesh)
    if faults and not meshes:
        raise InputError.of(faults[0])
    tree, roots = tree_of(nodes, parents)
    scene = Scene(
        entry.rsplit("/", 1)[-1].rsplit(".", 1)[0],
        nodes=tree,
        roots=roots,
        meshes=tuple(meshes),
        materials=tuple(Material(name, origin=origin) for name in materials),
    )
    skeleton = None if spec.skeleton is None else text_of(spec.skeleton, head, entry)
    return LooseModel(scene, faults, skeleton or None)


def _node(part: Record, spec: ModelExtract, how: turn.Turning, entry: str, place: Origin) -> Node:
    translation, rotation, scale = turn.turn_placement(
        (0.0, 0.0, 0.0) if spec.translation is None else numbers_of(spec.translation, part, entry, 3),
        (0.0, 0.0, 0.0, 1.0) if spec.rotation is None else numbers_of(spec.rotation, part, entry, 4),
        (1.0, 1.0, 1.0) if spec.scale is None else numbers_of(spec.scale, part, entry, 3),
        how,
    )
    role = "visual" if spec.role is None else text_of(spec.role, part, entry)
    return Node(
        text_of(spec.name, part, entry),
        translation=translation,
        rotation=rotation,
        scale=scale,
        role=role if role in _ROLES else "helper",  # type: ignore[arg-type]
        detail=0 if spec.detail is None else whole_of(spec.detail, part, entry),
        origin=place,
    )


def _parent(part: Record, spec: ModelExtract, entry: str, number: int, count: int) -> int:
    """The parent's index, or -1; a parent that is not an earlier part is refused, which rules out cycles."""
    parent = -1 if spec.parent is None else whole_of(spec.parent, part, entry)
    return parent if 0 <= parent < min(number, count) else -1


def _mesh(
    part: Record,
    spec: ModelExtract,
    layout: Layout,
    how: turn.Turning,
    entry: str,
    place: Origin,
    materials: dict[str, int],
    name: str,
) -> Mesh:
    order = "<" if layout.endian == "little" else ">"
    attributes = read_vertices(part, spec.vertices, entry, order)
    positions = attributes.floats["position"]
    broken = ~np.isfinite(positions).all(axis=1)
    if broken.any():
        first = int(np.argmax(broken))
        raise InputError(
            ErrorCode.MALFORMED,
            f"{int(broken.sum()):,} vertices of part '{name}' have positions that are not numbers",
            file=entry,
            offset=part.start,
            field=f"vertex {first:,}",
            expected="finite numbers",
            found=str(positions[first].tolist()),
            hint="The element's type or offset may be wrong; the other parts are kept.",
        )
    indices = turn.turn_corners(read_indices(part, spec.indices, len(positions), entry, order), how)
    material = None
    if spec.material is not None:
        wanted = text_of(spec.material, part, entry)
        material = materials.setdefault(wanted, len(materials))
    if spec.palette is not None and attributes.joints is not None:
        attributes.joints = _through_palette(attributes.joints, wholes_of(spec.palette, part, entry), entry, part)
    return Mesh(name, (_primitive(attributes, indices, how, material, place),))


def _through_palette(joints: AnyArray, palette: AnyArray, entry: str, part: Record) -> AnyArray:
    if joints.size and int(joints.max()) >= len(palette):
        raise InputError(
            ErrorCode.MALFORMED,
            "a vertex names a joint beyond its part's list",
            file=entry,
            offset=part.start,
            expected=f"a number below {len(palette)}",
            found=str(int(joints.max())),
        )
    return palette[joints]


def _primitive(
    attributes: Attributes,
    indices: IndexArray,
    how: turn.Turning,
    material: int | None,
    place: Origin,
) -> Primitive:
    floats = attributes.floats
    positions = turn.turn_points(floats["position"], how)
    normal, tangent, color = floats.get("normal"), floats.get("tangent"), floats.get("color")
    joints, weights = attributes.joints, floats.get("weights")
    return Primitive(
        positions,
        indices,
        normals=vertex_normals(positions, indices) if normal is None else turn.turn_directions(normal, how),
        tangents=None if tangent is None or tangent.shape[1] < 4 else turn.turn_tangents(tangent, how),
        uvs=tuple(turn.turn_uvs(floats[k], how) for k in ("uv0", "uv1", "uv2") if k in floats),
        colors=() if color is None else (as_floats(_four(color), 4),),
        joints=None if joints is None or weights is None else frozen(joints.astype(np.uint16)),
        weights=None if joints is None or weights is None else as_floats(weights, weights.shape[1]),
        material=material,
        origin=place,
    )


def _four(color: Any) -> Any:  # noqa: ANN401
    """Colours with an alpha of 1 where the file has three channels."""
    if color.shape[1] >= 4:
        return color[:, :4]
    return np.concatenate([color, np.ones((len(color), 4 - color.shape[1]), np.float32)], axis=1)

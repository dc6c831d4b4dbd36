"""Parts of a model → nodes and meshes; materials and the skeleton are still names."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import partial
from typing import Literal

import numpy as np

from pruxel.core.base.arrays import DoubleArray
from pruxel.core.base.context import Context
from pruxel.core.base.errors import Fault, InputError
from pruxel.core.binary.functions.arrays import padded
from pruxel.core.binary.records import Record
from pruxel.core.binary.schema import ExpressionText, Strict
from pruxel.core.binary.values import array_of, items_of, numbers_of, text_of, value_of, whole_of, wholes_of
from pruxel.core.extract import conventions as turn
from pruxel.core.extract.corners import Faces, TrianglesText, read_triangles, soup
from pruxel.core.extract.elements import Shared, Stream, Vertices, bad, read_vertices
from pruxel.core.extract.file import ParsedFile, rows
from pruxel.core.extract.frames import FramesSpec, clips_of_frames, read_frames
from pruxel.core.extract.placing import PlacingSpec, parents_first, placing_of
from pruxel.core.extract.pool import pool_small
from pruxel.core.extract.primitives import Group, PartArrays, Worn, from_joints, joint_weights, primitives_of
from pruxel.core.scene.edit import tree_of
from pruxel.core.scene.materials import Material
from pruxel.core.scene.model import Clip, Dressing, Mesh, Node, Scene
from pruxel.core.scene.origin import Origin

_MOST_JOINTS = 16
_MOST_VARIANTS = 1000
_ROLES = ("visual", "collision", "helper")
MaterialSlot = Literal["base_color", "normal", "emissive", "packed", "packed2", "occlusion"]


class WeightedPoints(Strict):
    """Vertices as sums of points, each in the space of its joint: the vertex is where their joints take them."""

    counts: ExpressionText
    """How many points each vertex has; those of a vertex follow each other."""
    joint: ExpressionText
    """The joint of each point."""
    weight: ExpressionText
    """How much it counts."""
    position: ExpressionText
    """Where it is, seen from its joint."""


class VariantsSpec(Strict):
    """Other materials of the same parts: one variant an item of `each`, known as `variant`.

    That is a record, a text, or a number where `each` is one. All else is said as of a part, whose fields are seen too.
    """

    each: ExpressionText
    """The records, a list, or how many."""
    name: ExpressionText | None = None
    """Of the variant."""
    material: ExpressionText | None = None
    """The name or path of the part's material in it, or the number of one."""
    textures: dict[MaterialSlot, ExpressionText] = {}
    """Paths of its textures by slot."""
    base_color: ExpressionText | None = None
    """Its colour."""
    alpha: ExpressionText | None = None
    """`OPAQUE`, `MASK` or `BLEND`."""


class MeshesSpec(PlacingSpec):
    """How records become nodes and meshes: one part an item of `each`, the whole file being one without it.

    `material` is the name or path of a material, or the number of one that the same file yields; `textures` name
    textures directly. All see `group` where the triangles are grouped. `skeleton` names the entry whose joints the
    vertices are weighted to; without it a skeleton that the same file yields is theirs. `palette` is a part's own list
    of joint numbers, `joint` the one joint of a whole part, `no_joint` the number that stands for none. With
    `space: joints` positions stand in the space of their joints.
    """

    each: ExpressionText | None = None
    """The records that are parts."""
    where: ExpressionText | None = None
    """A condition: which of them count."""
    name: ExpressionText | None = None
    """Of the part."""
    parent: ExpressionText | None = None
    """The number of the part that it hangs on, or below zero."""
    vertices: Vertices | None = None
    """See below."""
    points: WeightedPoints | None = None
    """Vertices as weighted points in the space of several joints, see below."""
    triangles: TrianglesText | None = None
    """See below; without it, three vertices in a row are one."""
    frames: FramesSpec | None = None
    """Vertex animation, see below."""
    detail: ExpressionText | None = None
    """Level of detail, 0 the finest."""
    role: ExpressionText | None = None
    """`visual`, `collision` or `helper`."""
    material: ExpressionText | None = None
    """The name or path of a material, or the number of one that the same file yields."""
    textures: dict[MaterialSlot, ExpressionText] = {}
    """Paths of textures by slot, where the part names them itself."""
    base_color: ExpressionText | None = None
    """A colour of its own: three numbers, or four."""
    alpha: ExpressionText | None = None
    """`OPAQUE`, `MASK` or `BLEND`."""
    variants: VariantsSpec | None = None
    """Other materials of the same parts, see below."""
    skeleton: ExpressionText | None = None
    """The path or name of the skeleton, one expression for the whole file, an empty text for none; without it one that
    the same file yields.
    """
    palette: ExpressionText | None = None
    """The part's own list of joint numbers, when its vertices count in that."""
    joint: ExpressionText | None = None
    """The one joint of a whole part."""
    no_joint: ExpressionText | None = None
    """The number that stands for no joint; numbers below zero do anyhow."""
    space: Literal["model", "joints"] = "model"
    """`joints` where positions stand in the space of the joints they are weighted to."""


@dataclass(frozen=True)
class PartMaterial:
    """What a part says of its material: a name, or the number of one in the same file; textures by slot; a colour."""

    name: str
    number: int | None = None
    textures: tuple[tuple[str, str], ...] = ()
    base_color: tuple[float, ...] | None = None
    alpha: str | None = None


@dataclass(frozen=True, eq=False)
class LooseModel:
    """A model by itself: `materials` are what its parts say, one for each of the scene's bare materials."""

    scene: Scene
    faults: list[Fault]
    materials: tuple[PartMaterial, ...] = ()


def skeleton_named(file: ParsedFile) -> str | None:
    """The path or name of the skeleton that the file's vertices mean, if it names one; raises `InputError`."""
    if not file.yields("meshes"):
        return None
    spec = file.spec("meshes", MeshesSpec)
    return None if spec.skeleton is None else text_of(spec.skeleton, file.head, file.entry) or None


@np.errstate(over="ignore")  # what becomes of a number too large is told
def read_model(file: ParsedFile, context: Context, world_from_joint: DoubleArray | None = None) -> LooseModel:
    """All parts of a file; `world_from_joint` (j, 4, 4) is its skeleton at rest, where positions need it.

    A part that cannot be read is left out and returned as a fault; when none can be read, its error is raised.
    """
    spec = file.spec("meshes", MeshesSpec)
    turning = turn.turning(file.conventions)
    parts = list(rows(spec.each, spec.where, file.head, file.entry))
    nodes, meshes, clips, faults = list[Node](), list[Mesh](), list[Clip](), list[Fault]()
    materials: dict[PartMaterial, int] = {}
    parents = parents_first(parts, spec.parent, spec.where, file.entry)
    pooled = pool_small(parts, spec.vertices, spec.triangles, file, turning, context) if _plain(spec) else {}
    shared: Shared = {}
    for number, part in enumerate(parts):
        context.progress(number / len(parts), file.entry)
        place = file.origin(spec.each, number, part.start)
        name = file.stem if spec.name is None else text_of(spec.name, part, file.entry)
        mesh: int | None = None
        try:
            worn = partial(_worn, part, spec, file, materials)
            if number in pooled:
                made = Mesh(name, (pooled[number].primitive(worn(None), place),))
            else:
                arrays = _arrays(part, spec, file, turning, world_from_joint, shared)
                primitives = primitives_of(arrays, turning, file.entry, part, place, worn)
                made = Mesh(name, tuple(primitives), target_weights=(0.0,) * len(arrays.frames))
                if spec.frames is not None:
                    named = [f.name for f in arrays.frames]
                    clips += clips_of_frames(spec.frames, part, named, number, file, place)
            mesh = len(meshes)
            meshes.append(made)
        except InputError as error:
            faults.append(error.fault)
        nodes.append(_node(part, spec, turning, file, place, name, mesh))
    if faults and not meshes:
        raise InputError.of(faults[0])
    tree, roots = tree_of(nodes, parents)
    scene = Scene(
        file.stem,
        nodes=tree,
        roots=roots,
        meshes=tuple(meshes),
        materials=tuple(Material(one.name, origin=Origin(entry=file.entry)) for one in materials),
        clips=tuple(clips),
    )
    return LooseModel(scene, faults, tuple(materials))


def _node(
    part: Record, spec: MeshesSpec, how: turn.Turning, file: ParsedFile, place: Origin, name: str, mesh: int | None
) -> Node:
    translation, rotation, scale = placing_of(spec, part, how, file.entry)
    role = "visual" if spec.role is None else text_of(spec.role, part, file.entry)
    return Node(
        name,
        mesh=mesh,
        translation=translation,
        rotation=rotation,
        scale=scale,
        role=role if role in _ROLES else "helper",  # type: ignore[arg-type]
        detail=0 if spec.detail is None else max(whole_of(spec.detail, part, file.entry), 0),
        origin=place,
    )


def _plain(spec: MeshesSpec) -> bool:
    """Whether parts have nothing but a surface: no joints, no frames."""
    return spec.points is None and spec.frames is None and spec.joint is None and spec.space == "model"


def _worn(part: Record, spec: MeshesSpec, file: ParsedFile, materials: dict[PartMaterial, int], group: Group) -> Worn:
    """The materials of a part, or of a group of its triangles; new ones are added to those that are known."""

    def number_of(material: PartMaterial | None) -> int | None:
        return None if material is None else materials.setdefault(material, len(materials))

    scope = part if group is None else part.below(group=group)
    found = number_of(_material(scope, spec, file))
    if spec.variants is None:
        return Worn(found)
    dressings = ((name, number_of(one)) for name, one in _variants(scope, spec.variants, file))
    return Worn(found, tuple(Dressing(name, number) for name, number in dressings if number is not None))


def _arrays(
    part: Record,
    spec: MeshesSpec,
    file: ParsedFile,
    how: turn.Turning,
    world_from_joint: DoubleArray | None,
    shared: Shared,
) -> PartArrays:
    entry, endian = file.entry, file.layout.endian
    streams: dict[str, Stream] = {}
    if spec.points is not None:
        streams = _from_points(part, spec.points, file, how, world_from_joint)
    if spec.vertices is not None:
        streams |= read_vertices(part, spec.vertices, entry, endian, shared)
    if "position" not in streams:
        raise bad(entry, part, "the vertices have no position", expected="an attribute of three numbers")
    position = streams["position"]
    count = len(position.values)
    faces: Faces = soup(count) if spec.triangles is None else read_triangles(part, spec.triangles, count, entry, endian)
    palette = None if spec.palette is None else wholes_of(spec.palette, part, entry)
    none = None if spec.no_joint is None else whole_of(spec.no_joint, part, entry)
    joints, weights = joint_weights(streams, palette, none, part, entry)
    if joints is None and spec.joint is not None and (only := whole_of(spec.joint, part, entry)) >= 0:
        joints, weights = np.full((count, 1), only), np.ones((count, 1), np.float32)
    if spec.space == "joints":
        if joints is None or weights is None:
            raise bad(entry, part, "positions in the space of joints need 'joints', or a 'joint' for the part")
        if world_from_joint is None:
            raise bad(entry, part, "positions in the space of joints need a skeleton", hint="Name it in 'skeleton'.")
        if joints.size and int(joints.max()) >= len(world_from_joint):
            raise bad(entry, part, f"joint {int(joints.max())} of {len(world_from_joint)}")
        moved = from_joints(position.values[:, :3], joints, weights, world_from_joint, how)
        streams = streams | {"position": replace(position, values=moved)}
    frames = () if spec.frames is None else read_frames(spec.frames, part, count, file)
    return PartArrays(streams, faces, frames, joints, weights)


def _from_points(
    part: Record, spec: WeightedPoints, file: ParsedFile, how: turn.Turning, world_from_joint: DoubleArray | None
) -> dict[str, Stream]:
    """Positions, joints and weights of vertices that are weighted points; raises `InputError`."""
    counts = wholes_of(spec.counts, part, file.entry).astype(np.int64)
    joints = wholes_of(spec.joint, part, file.entry).astype(np.int64)
    weights = array_of(spec.weight, part, file.entry, 1).astype(np.float64)
    places = array_of(spec.position, part, file.entry, 3).astype(np.float64)
    if counts.min(initial=0) < 0 or not len(joints) == len(weights) == len(places) == int(counts.sum()):
        said = f"{len(joints):,} joints, {len(weights):,} weights, {len(places):,} positions"
        raise bad(file.entry, part, "weighted points do not go together", expected=f"{int(counts.sum()):,}", found=said)
    if world_from_joint is None:
        raise bad(file.entry, part, "weighted points need a skeleton", hint="Name it in 'skeleton'.")
    if len(joints) and not 0 <= int(joints.min()) <= int(joints.max()) < len(world_from_joint):
        raise bad(file.entry, part, f"joint {int(joints.max())} of {len(world_from_joint)}")
    moved = from_joints(places, joints[:, None], np.ones((len(joints), 1)), world_from_joint, how)
    vertex = np.repeat(np.arange(len(counts)), counts)
    positions, total = np.zeros((len(counts), 3)), np.zeros(len(counts))
    np.add.at(positions, vertex, moved * weights[:, None])
    np.add.at(total, vertex, weights)
    width = min(max(int(counts.max(initial=1)), 1), _MOST_JOINTS)
    return {
        "position": Stream(positions / np.where(total > 0, total, 1)[:, None]),
        "joints": Stream(padded(joints, counts, width, -1)),
        "weights": Stream(padded(weights, counts, width, 0.0)),
    }


def _color_name(color: tuple[float, ...]) -> str:
    """A name for a material of which only its colour is known: the digits of CSS, three numbers from 0 to 255."""
    return "colour " + "".join(f"{round(min(max(value, 0.0), 1.0) * 255):02x}" for value in color[:3])


def _variants(scope: Record, spec: VariantsSpec, file: ParsedFile) -> Iterator[tuple[str, PartMaterial | None]]:
    """The name of each variant, and what it says of the material."""
    taken: set[str] = set()
    for number, item in enumerate(items_of(spec.each, scope, file.entry)):
        if number >= _MOST_VARIANTS:
            raise bad(file.entry, scope, "too many variants for one model", expected=f"at most {_MOST_VARIANTS:,}")
        inside = scope.below(variant=item)
        name = f"variant {number + 1}" if spec.name is None else text_of(spec.name, inside, file.entry)
        name = name if name not in taken else f"{name}.{number + 1}"
        taken.add(name)
        yield name, _material(inside, spec, file)


def _material(scope: Record, spec: MeshesSpec | VariantsSpec, file: ParsedFile) -> PartMaterial | None:
    """What a part, or a group of its triangles, says of its material; None for nothing."""
    named = None if spec.material is None else value_of(spec.material, scope, file.entry)
    textures = {slot: text_of(text, scope, file.entry) for slot, text in spec.textures.items()}
    found = tuple((slot, path) for slot, path in textures.items() if path)
    color = None if spec.base_color is None else numbers_of(spec.base_color, scope, file.entry, 3, 4)
    if named is None and not found and color is None:
        return None
    number = named if isinstance(named, int) else None
    alpha = None if spec.alpha is None else text_of(spec.alpha, scope, file.entry).upper()
    if named is not None and number is None:
        name = text_of(str(spec.material), scope, file.entry)
    elif found:
        name = found[0][1].rsplit("/", 1)[-1].rsplit(".", 1)[0]
    else:
        name = f"material {number}" if color is None else _color_name(color)
    return PartMaterial(name, number, found, color, alpha)

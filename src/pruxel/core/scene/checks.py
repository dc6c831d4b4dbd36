"""Invariants of a scene as named predicates.

`problems` lists those that do not hold. A scene passes `entered` before anything else touches it, so that no later
code has to fear a ring of nodes, an index beyond its table or a number that is none.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import fields, is_dataclass
from functools import cache
from itertools import islice

import numpy as np

from pruxel.core.base.arrays import AnyArray, all_finite
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.scene.model import TRACK_WIDTHS, Primitive, Scene, Track
from pruxel.core.scene.references import TABLES, references
from pruxel.core.scene.sound_clips import with_sound_clips
from pruxel.core.scene.walk import local_matrix

Check = Callable[[Scene], Iterator[str]]
_MOST_NAMED = 5
# Beyond this, products of two numbers leave float32, which every format stores.
_LARGEST = 1e18
_BEYOND = 2**63


def _primitives(scene: Scene) -> Iterator[tuple[str, Primitive]]:
    for mesh in scene.meshes:
        for number, primitive in enumerate(mesh.primitives):
            yield f"mesh '{mesh.name}' primitive {number}", primitive


def _arrays(primitive: Primitive) -> Iterator[tuple[str, AnyArray, int]]:
    """All attributes of vertices: name, array, width (0 for any)."""
    single = (("normals", 3), ("tangents", 4), ("joints", 0), ("weights", 0))
    yield "positions", primitive.positions, 3
    yield from ((name, array, width) for name, width in single if (array := getattr(primitive, name)) is not None)
    yield from ((f"uvs[{i}]", array, 2) for i, array in enumerate(primitive.uvs))
    yield from ((f"colors[{i}]", array, 4) for i, array in enumerate(primitive.colors))
    yield from ((f"attribute '{custom.name}'", custom.values, 0) for custom in primitive.attributes)
    for target in primitive.targets:
        place = f"target '{target.name}'"
        moved = (("positions", target.positions), ("normals", target.normals), ("tangents", target.tangents))
        yield from ((f"{place} {name}", array, 3) for name, array in moved if array is not None)
        yield from ((f"{place} uvs[{i}]", array, 2) for i, array in enumerate(target.uvs))
        yield from ((f"{place} colors[{i}]", array, 4) for i, array in enumerate(target.colors))


def attributes_fit(scene: Scene) -> Iterator[str]:
    """Every attribute has one row a vertex, of the right width, of numbers that are numbers."""
    for name, primitive in _primitives(scene):
        count = len(primitive.positions)
        for what, array, width in _arrays(primitive):
            if array.ndim != 2 or len(array) != count:
                yield f"{name}: {what} has shape {array.shape} for {count} vertices"
            elif width and array.shape[1] != width:
                yield f"{name}: {what} has {array.shape[1]} numbers a vertex, not {width}"
            elif not all_finite(array):
                yield f"{name}: {what} holds something that is not a number"
        if (primitive.joints is None) != (primitive.weights is None):
            yield f"{name}: joints and weights go together"
        elif primitive.joints is not None and primitive.weights is not None:
            if primitive.joints.shape != primitive.weights.shape:
                yield f"{name}: joints and weights differ in shape"
            elif primitive.weights.size and float(primitive.weights.min()) < 0:
                yield f"{name}: a weight is below zero"


def corners_within_vertices(scene: Scene) -> Iterator[str]:
    """Every index names a vertex; polygons account for all triangles."""
    for name, primitive in _primitives(scene):
        indices, count = primitive.indices, len(primitive.positions)
        if indices.ndim != 2 or indices.shape[1] != 3:
            yield f"{name}: indices have shape {indices.shape}"
        elif indices.size and int(indices.max()) >= count:
            yield f"{name}: an index is beyond the {count} vertices"
        sizes = primitive.face_sizes
        if sizes is not None and (
            (sizes.size and int(sizes.min()) < 3) or int(sizes.sum(dtype=np.int64)) - 2 * len(sizes) != len(indices)
        ):
            yield f"{name}: its polygons are not its triangles"
    for mesh in scene.meshes:
        for strokes in mesh.strokes:
            if strokes.indices.size and int(strokes.indices.max()) >= len(strokes.positions):
                yield f"mesh '{mesh.name}': a point or line names a vertex that does not exist"
            if not all_finite(strokes.positions):
                yield f"mesh '{mesh.name}': a point or line stands nowhere"
            if strokes.indices.ndim != 2 or strokes.indices.shape[1] not in {1, 2}:
                yield f"mesh '{mesh.name}': strokes have shape {strokes.indices.shape}"
            if any(colors.shape != (len(strokes.positions), 4) for colors in strokes.colors):
                yield f"mesh '{mesh.name}': a colour of points or lines has another shape than they"


def references_within_tables(scene: Scene) -> Iterator[str]:
    """Every index points at something."""
    sizes = {table: len(getattr(scene, table)) for table in TABLES}
    for field_name, to, index in references(scene):
        if not 0 <= index < sizes[to.table]:
            yield f"{field_name} names {to.table}[{index}] of {sizes[to.table]}"


def tree_without_rings(scene: Scene) -> Iterator[str]:
    """Each node has one parent at most, roots have none, and no node stands below itself."""
    above = [0] * len(scene.nodes)
    for node in scene.nodes:
        for child in node.children:
            above[child] += 1
    for index, count in enumerate(above):
        if count > 1:
            yield f"node '{scene.nodes[index].name}' has {count} parents"
    yield from (f"root '{scene.nodes[root].name}' has a parent" for root in scene.roots if above[root])
    if len(set(scene.roots)) != len(scene.roots):
        yield "a root is listed twice"
    pending = [index for index, count in enumerate(above) if not count]
    reached = 0
    while pending:
        reached += 1
        for child in scene.nodes[pending.pop()].children:
            above[child] -= 1
            if not above[child]:
                pending.append(child)
    if reached < len(scene.nodes):
        first = next(index for index, count in enumerate(above) if count)
        yield f"node '{scene.nodes[first].name}' stands below itself"


def nodes_stand_somewhere(scene: Scene) -> Iterator[str]:
    """Placements are finite, rotations of unit length, names are unique and hold no NUL."""
    for node in scene.nodes:
        numbers = (*node.translation, *node.rotation, *node.scale, *(node.weights or ()))
        lengths = (len(node.translation), len(node.rotation), len(node.scale))
        if lengths != (3, 4, 3):
            yield f"node '{node.name}': a placement has {lengths} numbers, not 3, 4 and 3"
        elif not all(map(math.isfinite, numbers)) or max(map(abs, numbers)) > _LARGEST:
            yield f"node '{node.name}' stands nowhere"
        elif abs(math.fsum(v * v for v in node.rotation) - 1) > 1e-2:
            yield f"node '{node.name}': its rotation is not of unit length"
        elif node.matrix is not None and not np.isfinite(local_matrix(node)).all():
            yield f"node '{node.name}': its matrix holds something that is not a number"
        if "\0" in node.name:
            yield f"node {node.name!r}: a name must not hold NUL"
    if len({node.name for node in scene.nodes}) != len(scene.nodes):
        yield "two nodes share a name"


def materials_in_range(scene: Scene) -> Iterator[str]:
    """Factors that are shares lie between 0 and 1, colours have their numbers, and sets of coordinates exist."""
    for material in scene.materials:
        shares = (*material.base_color, material.metallic, material.roughness, material.occlusion_strength)
        if (len(material.base_color), len(material.emissive)) != (4, 3):
            yield f"material '{material.name}': a colour has not its numbers"
        elif not all(0 <= v <= 1 for v in shares):
            yield f"material '{material.name}': a factor is not between 0 and 1"


def plain_values_are_sound(scene: Scene) -> Iterator[str]:
    """Every number of materials, textures, cameras and lights is finite and fits 64 bits; no text holds NUL."""
    for table in ("materials", "textures", "cameras", "lights"):
        for index, item in enumerate(getattr(scene, table)):
            for field_name, value in _plain(item):
                if isinstance(value, str):
                    if "\0" in value:
                        yield f"{table}[{index}]: {field_name} holds NUL"
                elif not math.isfinite(value) or abs(value) >= _BEYOND:
                    yield f"{table}[{index}]: {field_name} is not a number that can be kept"
    for table in ("meshes", "skins", "clips"):
        for item in getattr(scene, table):
            if "\0" in item.name:
                yield f"{table}: the name {item.name!r} holds NUL"


def _plain(value: object, name: str = "") -> Iterator[tuple[str, float | str]]:
    """The numbers and texts inside a dataclass, each with the name of its field."""
    if isinstance(value, str | int | float):
        yield name, value
    elif isinstance(value, tuple):
        for inner in value:
            yield from _plain(inner, name)
    elif is_dataclass(value) and not isinstance(value, type):
        for item in _fields(type(value)):
            yield from _plain(getattr(value, item), item)


@cache
def _fields(kind: type) -> tuple[str, ...]:
    return tuple(item.name for item in fields(kind))


def skins_fit(scene: Scene) -> Iterator[str]:
    """Each joint has a matrix, and vertices name joints that their skin has."""
    for skin in scene.skins:
        if not skin.joints:
            yield f"skin '{skin.name}' has no joints"
        if skin.inverse_bind.shape != (len(skin.joints), 4, 4) or not np.isfinite(skin.inverse_bind).all():
            yield f"skin '{skin.name}': its matrices do not fit its {len(skin.joints)} joints"
    for node in scene.nodes:
        if node.skin is None or node.mesh is None:
            continue
        for primitive in scene.meshes[node.mesh].primitives:
            joints = primitive.joints
            if joints is not None and joints.size and int(joints.max()) >= len(scene.skins[node.skin].joints):
                yield f"node '{node.name}' names joint {int(joints.max())} of {len(scene.skins[node.skin].joints)}"


def clips_play(scene: Scene) -> Iterator[str]:
    """Times ascend from 0 on, every key has its value, and no property is moved twice by one clip."""
    for clip in scene.clips:
        seen: set[tuple[int, str]] = set()
        for channel in clip.channels:
            place = f"clip '{clip.name}' {channel.path} of '{scene.nodes[channel.node].name}'"
            if (channel.node, channel.path) in seen:
                yield f"{place}: moved twice"
            seen.add((channel.node, channel.path))
            yield from (f"{place}: {words}" for words in _channel_faults(channel))
        shown = [(one.node, scene.nodes[one.node].name, one) for one in clip.shown]
        yield from _told_once(f"clip '{clip.name}'", shown)
        yield from _told_once(
            f"clip '{clip.name}'", [((o.material, o.path), scene.materials[o.material].name, o) for o in clip.looks]
        )


def _told_once(clip: str, tracks: Sequence[tuple[object, str, Track]]) -> Iterator[str]:
    told: set[object] = set()
    for target, name, track in tracks:
        place = f"{clip} {track.path} of '{name}'"
        if target in told:
            yield f"{place}: told twice"
        told.add(target)
        yield from (f"{place}: {words}" for words in _channel_faults(track))


def _channel_faults(channel: Track) -> Iterator[str]:
    times, values = channel.times, channel.values
    if not len(times) or not np.isfinite(times).all() or float(times[0]) < 0 or (np.diff(times) <= 0).any():
        yield "times do not ascend from 0 on"
        return
    rows = len(times) * (3 if channel.interpolation == "CUBICSPLINE" else 1)
    width = TRACK_WIDTHS.get(channel.path, values.size // rows)
    if values.size != rows * width or not width:
        yield f"{values.size} numbers for {len(times)} keys"
    elif not all_finite(values):
        yield "a key is not a number"
    elif channel.path == "rotation":
        keys = values[1::3] if channel.interpolation == "CUBICSPLINE" else values
        if float(np.linalg.norm(keys, axis=1).min()) < 1e-6:
            yield "a rotation has no length"


INVARIANTS: tuple[Check, ...] = (
    references_within_tables,
    tree_without_rings,
    nodes_stand_somewhere,
    attributes_fit,
    corners_within_vertices,
    materials_in_range,
    plain_values_are_sound,
    skins_fit,
    clips_play,
)


def problems(scene: Scene) -> list[str]:
    """All broken invariants, in words; empty for a sound scene.

    The later predicates follow indices, so they are asked only when the first holds.
    """
    broken = list(references_within_tables(scene))
    return broken or [problem for check in INVARIANTS[1:] for problem in check(scene)]


def entered(scene: Scene, file: str) -> Scene:
    """The very scene, if it is sound, else with what of its clips is; raises `InputError` that tells what is not."""
    found = problems(scene)
    if found and not any(references_within_tables(scene)) and found == list(clips_play(scene)):
        scene = with_sound_clips(scene)
        found = problems(scene)
    if not found:
        return scene
    more = f" (and {len(found) - _MOST_NAMED:,} more)" if len(found) > _MOST_NAMED else ""
    raise InputError(
        ErrorCode.MALFORMED,
        "what the file describes does not hold together",
        file=file,
        expected="a tree of nodes, indices within their lists, numbers that are finite",
        found="; ".join(islice(found, _MOST_NAMED)) + more,
        hint="The file is damaged, or its layout reads the wrong place.",
    )

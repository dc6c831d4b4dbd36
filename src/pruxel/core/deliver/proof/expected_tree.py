"""What a file with a tree of named nodes must hold, beside what a judge read of it; everything is met by its name.

For readers that keep neither the numbers of nodes nor the order of corners, and cut polygons as they like.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray
from pruxel.core.deliver.proof.aligned import Alignment, aligned, reordered, turned_over
from pruxel.core.deliver.proof.checks import Check, Tolerances
from pruxel.core.deliver.proof.clips import compare_clips
from pruxel.core.deliver.proof.expected_gltf import corners_of
from pruxel.core.deliver.proof.judge import ReadBack
from pruxel.core.deliver.proof.surfaces import Surface, Tally, compare_names, compare_surfaces, diagonal, distances
from pruxel.core.extract.clips import extent_of
from pruxel.core.geometry.polygons import fans, outlines
from pruxel.core.native.rows import taken
from pruxel.core.scene.model import Clip, Mesh, Primitive, Scene
from pruxel.core.scene.pose import held, joint_matrices, mixed, posed
from pruxel.core.scene.walk import in_order, parents_of, parts, world_from_local

_AROUND_A_JUMP = 2e-3  # seconds on both sides of a moment at which a value that jumps may be read
_MOST_JOINTS = 4  # that the reader looks at for each vertex


@dataclass(frozen=True, eq=False)
class _Part:
    """One part on both sides: its node, what was written, what was read, and which corner is which."""

    node: int
    name: str
    mesh: Mesh
    written: Surface
    read: Surface
    found: dict[str, Any] | None
    way: Alignment
    seen: AnyArray  # (c,) bool: written corners that the reader sees whole


def compare_tree(scene: Scene, read: ReadBack, t: Tolerances) -> list[Check]:
    """All comparisons; `scene` is in the file's own axes and unit."""
    shown = list(in_order(scene))
    number_of = {node["name"]: number for number, node in enumerate(read.nodes)}
    checks = [_nodes(scene, read, shown, number_of), _places(scene, read, shown, number_of, t)]
    listed = _parts(scene, read, number_of, t)
    checks += _surfaces(listed, t)
    if scene.skins:
        checks.append(_skins(scene, read, listed, t))
    checks += compare_clips(scene, read, t)
    return [*checks, *_poses(scene, read, listed, t)]


def _nodes(scene: Scene, read: ReadBack, shown: Sequence[int], number_of: dict[str, int]) -> Check:
    above = parents_of(scene)
    wanted = sorted(f"{scene.nodes[above[i]].name if above[i] >= 0 else ''}/{scene.nodes[i].name}" for i in shown)

    def parent(number: int) -> str:
        over = read.nodes[number]["parent"]
        return read.nodes[over]["name"] if over >= 0 else ""

    found = sorted(f"{parent(number)}/{name}" for name, number in number_of.items())
    return compare_names("nodes below their parents", wanted, found)


def _places(scene: Scene, read: ReadBack, shown: Sequence[int], number_of: dict[str, int], t: Tolerances) -> Check:
    world = world_from_local(scene)
    size = max(float(np.abs(world[list(shown), :3]).max(initial=0)), 1e-9) if shown else 1e-9
    tally = Tally()
    for index in shown:
        name = scene.nodes[index].name
        there = read.nodes[number_of[name]]["world"] if name in number_of else [np.nan] * 16
        apart = np.abs(np.array(there).reshape(4, 4).T - world[index]).max()
        tally.add(name, np.array([apart]), t.length * size)
    words = "all alike" if not tally.wrong else f"{tally.wrong:,} stand elsewhere, most '{tally.where}'"
    return Check("where nodes stand", f"{len(shown):,} nodes", words, not tally.wrong)


def _parts(scene: Scene, read: ReadBack, number_of: dict[str, int], t: Tolerances) -> list[_Part]:
    part_of = {part["node"]: part for part in read.parts}
    listed = []
    for index, node, mesh in parts(scene):
        if not mesh.primitives:
            continue
        written, seen = _written(scene, index, mesh)
        found = part_of.get(number_of.get(node.name, -1))
        there = _read(read, found, written, number_of, scene)
        listed.append(_Part(index, node.name, mesh, written, there, found, aligned(written, there, t), seen))
    return listed


def _written(scene: Scene, index: int, mesh: Mesh) -> tuple[Surface, AnyArray]:
    skin = scene.nodes[index].skin
    corners = [_corners(p) for p in mesh.primitives]
    pairs = list(zip(mesh.primitives, corners, strict=True))
    many, tints = (
        max(len(s) for s in sets) for sets in zip(*((p.uvs, p.colors) for p in mesh.primitives), strict=True)
    )
    joints = weights = None
    seen = np.ones(sum(map(len, corners)), bool)
    if skin is not None:
        width = max((0 if p.joints is None else p.joints.shape[1]) for p in mesh.primitives)
        nodes = np.array(scene.skins[skin].joints)
        raw = [(p.joints[c], p.weights[c]) for p, c in pairs if p.joints is not None and p.weights is not None]
        joints = np.concatenate([np.pad(nodes[j], ((0, 0), (0, width - j.shape[1]))) for j, _ in raw])
        weights = np.concatenate([np.pad(w, ((0, 0), (0, width - w.shape[1]))) for _, w in raw])
        seen = (weights > 0).sum(axis=1) <= _MOST_JOINTS
        joints, weights = _sorted(joints, weights)
    normals = [None if p.normals is None else p.normals[c] for p, c in pairs]
    given = [one for one in normals if one is not None]
    surface = Surface(
        scene.nodes[index].name,
        np.concatenate([p.positions[c] for p, c in pairs]),
        np.concatenate(given) if len(given) == len(normals) else None,
        tuple(
            np.concatenate([p.uvs[k][c] if k < len(p.uvs) else np.zeros((len(c), 2), np.float32) for p, c in pairs])
            for k in range(many)
        ),
        tuple(
            np.concatenate(
                [p.colors[k][c] if k < len(p.colors) else np.ones((len(c), 4), np.float32) for p, c in pairs]
            )
            for k in range(min(tints, 1))
        ),
        joints,
        weights,
        np.concatenate([np.full(len(c), _material(scene, p.material), object) for p, c in pairs]),
    )
    return surface, seen


def _corners(primitive: Primitive) -> AnyArray:
    """The vertex of each corner, polygons cut from their first, as the reader is told to."""
    sizes = primitive.face_sizes
    return (primitive.indices if sizes is None else fans(outlines(primitive.indices, sizes), sizes)).reshape(-1)


def _material(scene: Scene, material: int | None) -> str:
    return "" if material is None else scene.materials[material].name


def _sorted(joints: AnyArray, weights: AnyArray) -> tuple[AnyArray, AnyArray]:
    """The four strongest influences of each corner in the order of their joints; where nothing pulls, joint -1."""
    if joints.shape[1] > _MOST_JOINTS:
        strongest = np.argsort(-weights, axis=1, kind="stable")[:, :_MOST_JOINTS]
        joints, weights = np.take_along_axis(joints, strongest, 1), np.take_along_axis(weights, strongest, 1)
    missing = _MOST_JOINTS - joints.shape[1]
    joints = np.pad(np.where(weights > 0, joints, -1), ((0, 0), (0, missing)), constant_values=-1)
    weights = np.pad(weights, ((0, 0), (0, missing)))
    order = np.argsort(joints, axis=1, kind="stable")
    return np.take_along_axis(joints, order, 1), np.take_along_axis(weights, order, 1)


def _read(
    read: ReadBack, part: dict[str, Any] | None, written: Surface, number_of: dict[str, int], scene: Scene
) -> Surface:
    if part is None:
        return Surface("nothing", np.zeros((0, 3), np.float32))
    geometry = read.geometries[part["geometry"]]
    corners = corners_of(geometry)
    joints = weights = None
    if part["skin"] is not None and geometry.joints is not None and geometry.weights is not None:
        index_of = {number_of[node.name]: i for i, node in enumerate(scene.nodes) if node.name in number_of}
        nodes = np.array([index_of.get(number, -2) for number in part["skin"]["joints"]] or [-2])
        numbers = geometry.joints.take(corners, axis=0).astype(np.int64)
        joints, weights = _sorted(nodes[np.minimum(numbers, len(nodes) - 1)], geometry.weights.take(corners, axis=0))
    names = np.full(len(corners), "", object)
    for start, count, material in part["materials"]:
        names[start : start + count] = "" if material < 0 else read.materials[material]["name"]
    return Surface(
        read.nodes[part["node"]]["name"],
        geometry.positions.take(corners, axis=0),
        None if geometry.normals is None or written.normals is None else geometry.normals.take(corners, axis=0),
        # The reader gives V from the bottom, as the file has it.
        tuple(np.stack([uv[:, 0], 1 - uv[:, 1]], axis=1).take(corners, axis=0) for uv in geometry.uvs),
        tuple(color.take(corners, axis=0) for color in geometry.colors),
        joints,
        weights,
        names,
    )


def _surfaces(listed: Sequence[_Part], t: Tolerances) -> list[Check]:
    """Corner by corner, each read one beside the written one that it is; then what is missing, and which side shows."""
    written, found = list[Surface](), list[Surface]()
    for part in listed:
        whole = len(part.written.positions) == len(part.read.positions)
        written.append(_within(part, reordered(part.written, part.way.written_of_read)) if whole else part.written)
        found.append(_within(part, part.read) if whole else part.read)
    checks = compare_surfaces(written, found, t)
    missing, total = sum(p.way.missing for p in listed), sum(len(p.written.positions) // 3 for p in listed)
    words = "none is missing" if not missing else f"{missing:,} are missing"
    checks.append(Check("triangles that were written", f"{total:,}", words, not missing))
    over = {part.name: turned_over(part.written, part.read, part.way) for part in listed}
    wrong, where = sum(over.values()), max(over, key=over.__getitem__, default="")
    triangles = sum(len(part.read.positions) // 3 for part in listed)
    words = "all alike" if not wrong else f"{wrong:,} show their other side, most in '{where}'"
    return [*checks, Check("which side of triangles shows", f"{triangles:,} triangles", words, not wrong)]


def _within(part: _Part, surface: Surface) -> Surface:
    """One side, its corners as they were read, without joints and weights where the reader cannot see them all."""
    if surface.joints is None or surface.weights is None or bool(part.seen.all()):
        return surface
    unseen = ~part.seen[part.way.written_of_read]
    joints, weights = surface.joints.copy(), surface.weights.copy()
    joints[unseen], weights[unseen] = -1, 0
    return replace(surface, joints=joints, weights=weights)


def _skins(scene: Scene, read: ReadBack, listed: Sequence[_Part], t: Tolerances) -> Check:
    """Joints by their names and the matrices by which they hold."""
    wrong = ""
    for part in listed:
        number = scene.nodes[part.node].skin
        if number is None:
            continue
        skin, there = scene.skins[number], None if part.found is None else part.found["skin"]
        names = [] if there is None else [read.nodes[j]["name"] if j >= 0 else "" for j in there["joints"]]
        if sorted(names) != sorted(scene.nodes[j].name for j in skin.joints):
            wrong = wrong or f"'{part.name}' has other joints"
            continue
        assert there is not None
        stored = dict(zip(names, np.array(there["inverseBind"]).reshape(-1, 4, 4).transpose(0, 2, 1), strict=True))
        size = max(float(np.abs(skin.inverse_bind).max()), 1e-9)
        for joint, bind in zip(skin.joints, skin.inverse_bind, strict=True):
            if not np.abs(stored[scene.nodes[joint].name] - bind).max() <= t.length * size:
                wrong = wrong or f"'{scene.nodes[joint].name}' is bound elsewhere"
    joints = sum(len(skin.joints) for skin in scene.skins)
    return Check("skeletons", f"{joints:,} joints", wrong or "the same joints and matrices", not wrong)


def _poses(scene: Scene, read: ReadBack, listed: Sequence[_Part], t: Tolerances) -> list[Check]:
    """Where corners stand at rest and at five moments of each clip."""
    if not read.poses or len(read.clips) != len(scene.clips):
        return []
    part_of = {id(part.found): part for part in listed}
    tally, seconds = Tally(), [extent_of(clip.channels)[0] for clip in scene.clips]
    moments: dict[tuple[int, float], list[tuple[Scene, DoubleArray]]] = {}
    for pose in read.poses:
        part = part_of.get(id(read.parts[pose["part"]]))
        if part is None or len(part.way.written_of_read) != len(part.read.positions):
            continue
        when = (pose["clip"], pose["share"])
        if when not in moments:
            moments.clear()
            clip = None if when[0] < 0 else scene.clips[when[0]]
            times = [0.0] if clip is None else _moments(clip, when[1] * seconds[when[0]])
            at = [scene if clip is None else posed(scene, clip, time) for time in times]
            moments[when] = [(one, world_from_local(one)) for one in at]
        rows = part.way.written_of_read[:: pose["stride"]]
        found = pose["positions"]
        wanted = [_standing(one, world, part, rows) for one, world in moments[when]]
        apart = np.min([distances(one, found) for one in wanted], axis=0)
        clip_words = "" if when[0] < 0 else f" in '{scene.clips[when[0]].name}' at {when[1]:.0%}"
        tally.add(part.name + clip_words, apart[part.seen[rows]], max(t.length * diagonal(wanted[0]), 1e-9) * 5)
    when_words = "at rest" if not scene.clips else "at rest and at 0, 25, 50, 75, 100 % of each clip"
    words = "all alike" if not tally.wrong else f"{tally.wrong:,} elsewhere, up to {tally.worst:.3g}, {tally.where}"
    return [Check(f"where vertices stand {when_words}", f"{tally.compared:,} places", words, not tally.wrong)]


def _moments(clip: Clip, second: float) -> list[float]:
    """The moment, and those around it where something jumps: times are rounded on the way."""
    if all(channel.interpolation != "STEP" for channel in clip.channels):
        return [second]
    return [second, max(second - _AROUND_A_JUMP, 0.0), second + _AROUND_A_JUMP]


def _standing(scene: Scene, world: DoubleArray, part: _Part, rows: AnyArray) -> AnyArray:
    """(n, 3) places in the world of some written corners of a part."""
    node, whole, corners, before = scene.nodes[part.node], [], [], 0
    weights = part.mesh.target_weights if node.weights is None else node.weights
    pull = None if node.skin is None else joint_matrices(scene, node.skin, world)
    for primitive in part.mesh.primitives:
        shaped = mixed(primitive, weights)
        if pull is not None and shaped.joints is not None:
            points = held(shaped, pull).positions
        else:
            points = shaped.positions @ world[part.node][:3, :3].T + world[part.node][:3, 3]
        whole.append(points)
        corners.append(_corners(primitive) + before)
        before += len(points)
    return taken(np.concatenate(whole), taken(np.concatenate(corners), rows))

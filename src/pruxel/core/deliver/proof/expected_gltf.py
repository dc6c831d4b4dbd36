"""What a glTF file must hold, taken from the scene that was to be written, beside what the judge read of it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray
from pruxel.core.deliver.proof.checks import Check, Tolerances
from pruxel.core.deliver.proof.clips import compare_clips
from pruxel.core.deliver.proof.judge import Geometry, ReadBack
from pruxel.core.deliver.proof.links import compare_images
from pruxel.core.deliver.proof.looks import compare_looks
from pruxel.core.deliver.proof.surfaces import Surface, Tally, compare_names, compare_surfaces, diagonal, distances
from pruxel.core.extract.clips import extent_of
from pruxel.core.scene.materials import Material, TextureRef
from pruxel.core.scene.model import MorphTarget, Primitive, Scene
from pruxel.core.scene.pose import held, joint_matrices, mixed, posed
from pruxel.core.scene.render_images import texels
from pruxel.core.scene.walk import in_order, parents_of, parts, world_from_local

_MAPS = {
    "map": "base_color_texture",
    "normalMap": "normal_texture",
    "roughnessMap": "metallic_roughness_texture",
    "metalnessMap": "metallic_roughness_texture",
    "aoMap": "occlusion_texture",
    "emissiveMap": "emissive_texture",
}


def compare_gltf(scene: Scene, read: ReadBack, t: Tolerances) -> list[Check]:
    """All comparisons of a glTF file."""
    shown = list(in_order(scene))
    checks = [_nodes(scene, read, shown), _places(scene, read, shown, t)]
    parts_read = {(part["node"], part["primitive"]): part for part in read.parts}
    pairs = list(_drawn(scene))
    kinds = [(node, number) for node, number, _ in pairs]
    written = [_surface(scene, node, number, primitive) for node, number, primitive in pairs]
    found = [
        _read_surface(read, parts_read.get(key), primitive) for key, (_, _, primitive) in zip(kinds, pairs, strict=True)
    ]
    checks += compare_surfaces(written, found, t)
    checks.append(compare_strokes(scene, read))
    checks += [_materials(scene, read, t), _textures(scene, read)]
    if scene.images:
        checks.append(compare_images([(image.name, texels(image)) for image in scene.images], read.images))
    if scene.skins:
        checks.append(_skins(scene, parts_read, t))
    checks += compare_clips(scene, read, t)
    checks += _poses(scene, read, parts_read, t)
    checks += compare_looks(scene, read)
    return checks


def _drawn(scene: Scene) -> Iterator[tuple[int, int, Primitive]]:
    for index, _, mesh in parts(scene):
        for number, primitive in enumerate(mesh.primitives):
            yield index, number, primitive


def _nodes(scene: Scene, read: ReadBack, shown: Sequence[int]) -> Check:
    """Names of the shown nodes, each behind the name of the one above it."""
    above = parents_of(scene)
    names = [f"{scene.nodes[above[i]].name if above[i] >= 0 else ''}/{scene.nodes[i].name}" for i in shown]
    listed = dict(enumerate(read.nodes))

    def read_name(index: int) -> str:
        node = listed.get(index)
        if node is None or not node["shown"]:
            return "nothing"
        parent = listed.get(node["parent"])
        return f"{'' if parent is None else parent['name']}/{node['name']}"

    return compare_names("nodes below their parents", names, [read_name(i) for i in shown])


def _places(scene: Scene, read: ReadBack, shown: Sequence[int], t: Tolerances) -> Check:
    """World matrices of the shown nodes, relative to how far they reach."""
    world = world_from_local(scene)[list(shown)] if shown else np.zeros((0, 4, 4))
    found = [read.nodes[i]["world"] if i < len(read.nodes) else [] for i in shown]
    there = [len(w) == 16 for w in found]
    columns = np.array([w if ok else [np.nan] * 16 for w, ok in zip(found, there, strict=True)]).reshape(-1, 4, 4)
    size = max(float(np.abs(world[:, :3]).max(initial=0)), 1e-9)
    tally = Tally()
    apart = np.abs(columns.transpose(0, 2, 1) - world).reshape(len(shown), -1).max(axis=1, initial=0)
    for index, far in zip(shown, apart, strict=True):
        tally.add(scene.nodes[index].name, np.array([far]), t.length * size)
    words = (
        "all alike" if not tally.wrong else f"{tally.wrong:,} stand elsewhere, most '{tally.where}' ({tally.worst:.3g})"
    )
    return Check("where nodes stand", f"{len(shown):,} nodes", words, not tally.wrong)


def _surface(scene: Scene, node: int, number: int, primitive: Primitive) -> Surface:
    corners = primitive.indices.reshape(-1)
    skin = scene.nodes[node].skin
    joints = None
    if skin is not None and primitive.joints is not None:
        joints = np.array(scene.skins[skin].joints)[primitive.joints]
    material = "" if primitive.material is None else f"{primitive.material}"
    return Surface(
        f"{scene.nodes[node].name}[{number}]" if number else scene.nodes[node].name,
        primitive.positions,
        primitive.normals,
        primitive.uvs,
        primitive.colors,
        joints,
        None if joints is None else primitive.weights,
        np.full(len(corners), material, object),
        corners,
    )


def _read_surface(read: ReadBack, part: dict[str, Any] | None, primitive: Primitive) -> Surface:
    if part is None or part["kind"] != "triangles":
        return Surface("nothing", np.zeros((0, 3), np.float32))
    geometry = read.geometries[part["geometry"]]
    corners = corners_of(geometry)
    joints = None
    if part["skin"] is not None and geometry.joints is not None:
        nodes = np.array(part["skin"]["joints"])
        numbers = geometry.joints.astype(np.int64)
        joints = np.where(numbers < len(nodes), nodes[np.minimum(numbers, len(nodes) - 1)], -1)
    number = part["primitive"]
    node = read.nodes[part["node"]]["name"] if part["node"] >= 0 else "nothing"
    normals = None if primitive.normals is None else geometry.normals
    materials = np.empty(len(corners), object)
    for start, count, material in part["materials"]:
        materials[start : start + count] = "" if material < 0 else f"{material}"
    return Surface(
        f"{node}[{number}]" if number else node,
        geometry.positions,
        normals,
        tuple(geometry.uvs),
        tuple(geometry.colors),
        joints,
        None if joints is None else geometry.weights,
        materials,
        corners,
    )


def corners_of(geometry: Geometry) -> AnyArray:
    """The vertex of each corner."""
    return np.arange(len(geometry.positions)) if geometry.indices is None else geometry.indices


def compare_strokes(scene: Scene, read: ReadBack) -> Check:
    """How many points and line segments there are."""
    wanted = sum(len(s.indices) for _, _, mesh in parts(scene) for s in mesh.strokes)
    found = 0
    for part in read.parts:
        if part["kind"] != "triangles":
            corners = len(corners_of(read.geometries[part["geometry"]]))
            found += corners if part["kind"] == "points" else corners // 2
    return Check("points and lines", f"{wanted:,}", f"{found:,}", wanted == found)


def _materials(scene: Scene, read: ReadBack, t: Tolerances) -> Check:
    """Names in order, and the factors of those that something uses."""
    names_w, names_r = [m.name for m in scene.materials], [m["name"] for m in read.materials]
    if names_w != names_r:
        return compare_names("materials", names_w, names_r)
    for material, found in zip(scene.materials, read.materials, strict=True):
        for key, wanted in _factors(material).items():
            value = found["values"].get(key)
            if value is not None and not np.allclose(value, wanted, rtol=t.factor, atol=t.factor):
                words = f"{key} of '{material.name}' is {_numbers(value)}, not {_numbers(wanted)}"
                return Check("materials", f"{len(names_w):,}", words, passed=False)
    return Check("materials", f"{len(names_w):,}", "the same names and factors", passed=True)


def _factors(material: Material) -> dict[str, tuple[float, ...]]:
    glow = tuple(v * material.emissive_strength for v in material.emissive)
    lit = {"metallic": (material.metallic,), "roughness": (material.roughness,), "emissive": glow}
    return {"base colour": material.base_color} | ({} if material.unlit else lit)


def _numbers(values: Sequence[float]) -> str:
    return " ".join(f"{v:.3g}" for v in values)


def _textures(scene: Scene, read: ReadBack) -> Check:
    """Which image, by which UV set, stands in which slot of the materials that something uses."""
    used = {p.material for _, _, p in _drawn(scene) if p.material is not None}
    wrong: list[str] = []
    for number in sorted(used & set(range(len(read.materials)))):
        material, found = scene.materials[number], read.materials[number]["textures"]
        maps = {"map": "base_color_texture"} if material.unlit else _MAPS
        for key, slot in maps.items():
            ref: TextureRef | None = getattr(material, slot)
            wanted = None if ref is None else f"{scene.textures[ref.texture].image}/{ref.uv_set}"
            if found.get(key) != wanted:
                wrong.append(f"{slot.replace('_', ' ')} of '{material.name}'")
    words = (
        "in the same slots"
        if not wrong
        else f"another in {wrong[0]}" + (f" and {len(wrong) - 1} more" if wrong[1:] else "")
    )
    return Check("textures", f"{len(scene.images):,} images", words, not wrong)


def _skins(scene: Scene, parts_read: dict[tuple[int, int], dict[str, Any]], t: Tolerances) -> Check:
    """Joints and their matrices, for every part that a skin holds."""
    wrong = ""
    for index, node, _ in parts(scene):
        if node.skin is None:
            continue
        skin, part = scene.skins[node.skin], parts_read.get((index, 0))
        read_skin = None if part is None else part["skin"]
        if read_skin is None or tuple(read_skin["joints"]) != skin.joints:
            wrong = wrong or f"'{node.name}' has other joints"
            continue
        stored = np.array(read_skin["inverseBind"]).reshape(-1, 4, 4).transpose(0, 2, 1)
        size = max(float(np.abs(skin.inverse_bind).max()), 1e-9)
        if not np.abs(stored - skin.inverse_bind).max() <= t.length * size:
            wrong = wrong or f"the joints of '{node.name}' are bound elsewhere"
    joints = sum(len(skin.joints) for skin in scene.skins)
    return Check("skeletons", f"{joints:,} joints", wrong or "the same joints and matrices", not wrong)


@dataclass(frozen=True, eq=False)
class _Moment:
    scene: Scene
    world: DoubleArray

    def positions(self, node: int, primitive: Primitive, stride: int) -> AnyArray:
        """(n, 3) world positions of every `stride`-th vertex of a part's primitive."""
        own, mesh = self.scene.nodes[node], self.scene.nodes[node].mesh
        assert mesh is not None
        weights = self.scene.meshes[mesh].target_weights if own.weights is None else own.weights
        some = mixed(_thinned(primitive, stride), weights)
        if own.skin is not None and some.joints is not None:
            return held(some, joint_matrices(self.scene, own.skin, self.world)).positions
        matrix = self.world[node]
        return some.positions @ matrix[:3, :3].T + matrix[:3, 3]


def _thinned(primitive: Primitive, stride: int) -> Primitive:
    def some(array: AnyArray | None) -> AnyArray | None:
        return None if array is None else array[::stride]

    targets = tuple(MorphTarget(target.name, some(target.positions)) for target in primitive.targets)
    return Primitive(
        primitive.positions[::stride],
        primitive.indices[:0],
        joints=some(primitive.joints),
        weights=some(primitive.weights),
        targets=targets,
    )


def _poses(
    scene: Scene, read: ReadBack, parts_read: dict[tuple[int, int], dict[str, Any]], t: Tolerances
) -> list[Check]:
    """Where vertices stand at rest and at the beginning, middle and end of each clip."""
    if not read.poses or len(read.clips) != len(scene.clips):
        return []
    number_of = {id(part): number for number, part in enumerate(read.parts)}
    key_of = {number_of[id(part)]: key for key, part in parts_read.items()}
    tally, moments = Tally(), dict[tuple[int, float], _Moment]()
    seconds = [extent_of(clip.channels)[0] for clip in scene.clips]
    for pose in read.poses:
        when = (pose["clip"], pose["share"])
        if when not in moments:
            moments.clear()
            at = scene if when[0] < 0 else posed(scene, scene.clips[when[0]], when[1] * seconds[when[0]])
            moments[when] = _Moment(at, world_from_local(at))
        node, number = key_of.get(pose["part"], (-1, 0))
        mesh = scene.nodes[node].mesh if 0 <= node < len(scene.nodes) else None
        if mesh is None or number >= len(scene.meshes[mesh].primitives):
            tally.add("a part of its own", np.array([np.inf]), 0.0)
            continue
        wanted = moments[when].positions(node, scene.meshes[mesh].primitives[number], pose["stride"])
        found = pose["positions"]
        apart = distances(wanted, found) if len(wanted) == len(found) else np.full(len(found), np.inf)
        name = scene.nodes[node].name
        clip = "" if when[0] < 0 else f" in '{scene.clips[when[0]].name}' at {when[1]:.0%}"
        tally.add(name + clip, apart, max(t.length * diagonal(wanted), 1e-9) * 5)
    when_words = "at rest" if not scene.clips else "at rest and at 0, 25, 50, 75, 100 % of each clip"
    words = "all alike" if not tally.wrong else f"{tally.wrong:,} elsewhere, up to {tally.worst:.3g} m, {tally.where}"
    return [Check(f"where vertices stand {when_words}", f"{tally.compared:,} places", words, not tally.wrong)]

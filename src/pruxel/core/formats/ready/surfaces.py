"""Normals, tangents, UVs and morph targets as formats ask for them."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from pruxel.core.base.arrays import AnyArray, as_floats
from pruxel.core.geometry.normals import vertex_normals
from pruxel.core.geometry.tangents import vertex_tangents
from pruxel.core.scene.materials import Material
from pruxel.core.scene.model import Mesh, MorphTarget, Primitive, Scene, Strokes
from pruxel.core.scene.references import references, remapped

# The validator takes vectors within 0.00674 of unit length.
_UNIT = 5e-3


def with_sound_surfaces(scene: Scene, told: list[str]) -> Scene:
    """Directions of unit length, the UV sets that materials read, as many targets in every primitive of a mesh."""
    scene = _with_plain_strokes(scene, told)
    sets_read = [_sets_read(material) for material in scene.materials]

    def sound(mesh: Mesh) -> Mesh:
        names = _target_names(mesh)
        primitives = tuple(
            _with_targets(_with_uvs(_with_directions(p, mesh.name, told), mesh.name, sets_read, told), names)
            for p in mesh.primitives
        )
        weights = (*mesh.target_weights, *(0.0 for _ in names))[: len(names)] if mesh.target_weights else ()
        same = weights == mesh.target_weights and all(a is b for a, b in zip(primitives, mesh.primitives, strict=True))
        return mesh if same else replace(mesh, primitives=primitives, target_weights=weights)

    meshes = tuple(sound(mesh) for mesh in scene.meshes)
    counts = [len(_target_names(mesh)) for mesh in meshes]
    nodes = tuple(
        node
        if node.weights is None or (node.mesh is not None and counts[node.mesh] == len(node.weights) > 0)
        else replace(node, weights=None)
        for node in scene.nodes
    )
    return replace(scene, meshes=meshes, nodes=nodes)


def _with_plain_strokes(scene: Scene, told: list[str]) -> Scene:
    """Points and lines have no UVs; those of a textured material get the same one without its textures."""
    materials = list(scene.materials)
    plain: dict[int, int] = {}

    def of(strokes: Strokes) -> Strokes:
        if strokes.material is None or not _sets_read(scene.materials[strokes.material]):
            return strokes
        if strokes.material not in plain:
            bare = remapped(scene.materials[strokes.material], {"textures": {}})
            assert bare is not None
            plain[strokes.material] = len(materials)
            materials.append(bare)
            told.append(f"points and lines of material '{bare.name}' go without its textures")
        return replace(strokes, material=plain[strokes.material])

    meshes = tuple(replace(m, strokes=tuple(of(s) for s in m.strokes)) if m.strokes else m for m in scene.meshes)
    return replace(scene, meshes=meshes, materials=tuple(materials)) if plain else scene


def _sets_read(material: Material) -> int:
    """How many UV sets a material's textures need."""
    found = [_reference(material, path) for path, to, _ in references(material) if to.table == "textures"]
    return max(found, default=0)


def _reference(material: Material, path: str) -> int:
    value: object = material
    for name in path.split(".")[:-1]:
        value = getattr(value, name)
    return int(value.uv_set) + 1  # type: ignore[attr-defined]


def _with_directions(primitive: Primitive, name: str, told: list[str]) -> Primitive:
    normals, tangents = primitive.normals, primitive.tangents
    if normals is not None:
        length = np.linalg.norm(normals, axis=1, keepdims=True)
        if (length < 1e-6).any():
            told.append(
                f"'{name}': {int((length < 1e-6).sum()):,} normals without length are worked out from the faces"
            )
            computed = vertex_normals(primitive.positions, primitive.indices)
            normals = as_floats(np.where(length < 1e-6, computed, normals / np.maximum(length, 1e-6)), 3)
        elif float(np.abs(length - 1).max(initial=0)) > _UNIT:
            normals = as_floats(normals / length, 3)
    if tangents is not None:
        tangents = _sound_tangents(replace(primitive, normals=normals))
    if normals is primitive.normals and tangents is primitive.tangents:
        return primitive
    return replace(primitive, normals=normals, tangents=tangents)


def _sound_tangents(primitive: Primitive) -> AnyArray | None:
    """Tangents of unit length with a sign of one; those that cannot be used are worked out, or go without normals."""
    tangents = primitive.tangents
    assert tangents is not None
    if primitive.normals is None:
        return None
    length = np.linalg.norm(tangents[:, :3], axis=1)
    if (length < 1e-6).any():
        if not primitive.uvs:
            return None
        return vertex_tangents(primitive.positions, primitive.normals, primitive.uvs[0], primitive.indices)
    signs = np.abs(tangents[:, 3])
    if float(np.abs(length - 1).max(initial=0)) <= _UNIT and bool((signs == 1).all()):
        return tangents
    sign = np.where(tangents[:, 3:] < 0, np.float32(-1), np.float32(1))
    return as_floats(np.concatenate([tangents[:, :3] / length[:, None], sign], axis=1), 4)


def _with_uvs(primitive: Primitive, name: str, sets_read: list[int], told: list[str]) -> Primitive:
    needed = 0 if primitive.material is None else sets_read[primitive.material]
    if needed <= len(primitive.uvs):
        return primitive
    told.append(f"'{name}' lacks UV set {len(primitive.uvs)} that its material reads; it is filled with zeros")
    empty = as_floats(np.zeros((len(primitive.positions), 2), np.float32), 2)
    return replace(primitive, uvs=(*primitive.uvs, *(empty,) * (needed - len(primitive.uvs))))


def _target_names(mesh: Mesh) -> tuple[str, ...]:
    longest = max(mesh.primitives, key=lambda p: len(p.targets), default=None)
    return () if longest is None else tuple(target.name for target in longest.targets)


def _with_targets(primitive: Primitive, names: tuple[str, ...]) -> Primitive:
    """As many targets as the mesh has; those that move nothing here say so with zeros."""
    whole = tuple(t if t.positions is not None else _still(primitive, t) for t in primitive.targets)
    if len(whole) == len(names) and all(a is b for a, b in zip(whole, primitive.targets, strict=True)):
        return primitive
    return replace(primitive, targets=(*whole, *(_still(primitive, MorphTarget(n)) for n in names[len(whole) :])))


def _still(primitive: Primitive, target: MorphTarget) -> MorphTarget:
    return replace(target, positions=as_floats(np.zeros_like(primitive.positions), 3))

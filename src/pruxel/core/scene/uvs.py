"""Texture coordinates: those that stand for a primitive where there is room for one set only; V the other way."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import fields, is_dataclass, replace
from typing import Any

import numpy as np

from pruxel.core.base.arrays import DoubleArray, FloatArray, as_floats
from pruxel.core.scene.materials import Material, TextureRef
from pruxel.core.scene.model import Primitive, Scene

# The slots that most formats and pictures have a texture for, in the order in which their UV set and placement count.
MAIN_SLOTS = ("base_color_texture", "metallic_roughness_texture", "normal_texture", "emissive_texture")


def leading_texture(material: Material | None) -> TextureRef | None:
    """The texture whose UV set and placement count."""
    refs = () if material is None else (getattr(material, slot) for slot in MAIN_SLOTS)
    return next((ref for ref in refs if ref is not None), None)


def shown_uvs(primitive: Primitive, materials: Sequence[Material]) -> FloatArray | None:
    """The (n, 2) coordinates, origin top left: the leading texture's set with its placement baked in.

    None without any.
    """
    if not primitive.uvs:
        return None
    ref = leading_texture(None if primitive.material is None else materials[primitive.material])
    if ref is None:
        return primitive.uvs[0]
    return uvs_of(primitive, ref)


def uvs_of(primitive: Primitive, ref: TextureRef) -> FloatArray:
    """The (n, 2) coordinates by which a surface that has any reads a texture, its placement baked in."""
    uvs = primitive.uvs[min(ref.uv_set, len(primitive.uvs) - 1)]
    return as_floats(uvs @ turn(ref).T + ref.offset, 2) if is_placed(ref) else uvs


def is_placed(ref: TextureRef) -> bool:
    """Whether a texture is moved, turned or scaled on its UVs."""
    return (ref.offset, ref.rotation_rad, ref.scale) != ((0.0, 0.0), 0.0, (1.0, 1.0))


def turn(ref: TextureRef) -> DoubleArray:
    """The (2, 2) matrix of KHR_texture_transform: scale, then a turn that is counter-clockwise with V running down."""
    cos, sin = np.cos(ref.rotation_rad), np.sin(ref.rotation_rad)
    scaled: DoubleArray = np.array([[cos, sin], [-sin, cos]]) @ np.diag(ref.scale)
    return scaled


def with_v_up(scene: Scene) -> Scene:
    """The scene with V counted from the other side: for programs that take the first row of a texture for its last.

    Placements of textures are turned over with the coordinates that they act on.
    """
    flip = np.array([1.0, -1.0], np.float32)

    def primitive(one: Primitive) -> Primitive:
        return replace(one, uvs=tuple(as_floats(uv * flip + (0, 1), 2) for uv in one.uvs))

    meshes = tuple(replace(mesh, primitives=tuple(map(primitive, mesh.primitives))) for mesh in scene.meshes)
    return replace(scene, meshes=meshes, materials=tuple(map(_turned_over, scene.materials)))


def _turned_over(one: Any) -> Any:  # noqa: ANN401 - a material, or whatever it is made of
    """A material, or a layer of one, with every texture's placement turned over."""
    changed: dict[str, Any] = {}
    for item in fields(one):
        value = getattr(one, item.name)
        if isinstance(value, TextureRef):
            # With F for turning over and T p = A p + o for the placement: F T F p = F A F p + (A e + o turned over).
            down = turn(value)[:, 1]
            x, y = float(down[0] + value.offset[0]), float(1 - down[1] - value.offset[1])
            changed[item.name] = replace(value, offset=(x, y), rotation_rad=-value.rotation_rad)
        elif is_dataclass(value) and not isinstance(value, type):
            changed[item.name] = _turned_over(value)
    return replace(one, **changed)

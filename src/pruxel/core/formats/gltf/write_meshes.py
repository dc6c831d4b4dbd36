"""Meshes → glTF JSON with accessors."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from pruxel.core.base.arrays import AnyArray, FloatArray
from pruxel.core.formats.gltf.buffers import ARRAY_BUFFER, ELEMENT_ARRAY_BUFFER, SHAPES, Buffers
from pruxel.core.formats.gltf.extras import extras_json
from pruxel.core.formats.gltf.variants import dressings_json
from pruxel.core.geometry.tangents import vertex_tangents
from pruxel.core.scene.materials import Material, TextureRef
from pruxel.core.scene.model import Mesh, MorphTarget, Primitive, Strokes

Json = dict[str, Any]
_SMALL = 65_535
_POINTS, _LINES = 0, 1


def mesh_json(mesh: Mesh, buffers: Buffers, materials: Sequence[Material], variants: Sequence[str]) -> Json:
    """A mesh whose primitives and strokes all have something to show."""
    primitives = [_primitive(p, buffers, materials) | dressings_json(p.dressings, variants) for p in mesh.primitives]
    found: Json = {"name": mesh.name, "primitives": primitives + [_strokes(s, buffers) for s in mesh.strokes]}
    names = [t.name for p in mesh.primitives[:1] for t in p.targets]
    if mesh.target_weights and names:
        found["weights"] = list(mesh.target_weights)
    return found | extras_json(mesh.extras, {"targetNames": names} if names else None)


def _vertices(buffers: Buffers, array: AnyArray, *, bounds: bool = False) -> int:
    return buffers.accessor(array, SHAPES[array.shape[1]], ARRAY_BUFFER, bounds=bounds)


def _primitive(primitive: Primitive, buffers: Buffers, materials: Sequence[Material]) -> Json:
    attributes = {"POSITION": _vertices(buffers, primitive.positions, bounds=True)}
    for name, array in (("NORMAL", primitive.normals), ("TANGENT", _tangents(primitive, materials))):
        if array is not None:
            attributes[name] = _vertices(buffers, array)
    for key, sets in (("TEXCOORD", primitive.uvs), ("COLOR", primitive.colors)):
        attributes |= {f"{key}_{number}": _vertices(buffers, array) for number, array in enumerate(sets)}
    if primitive.joints is not None and primitive.weights is not None:
        for number in range(primitive.joints.shape[1] // 4):
            four = slice(4 * number, 4 * number + 4)
            attributes[f"JOINTS_{number}"] = _vertices(buffers, primitive.joints[:, four])
            attributes[f"WEIGHTS_{number}"] = _vertices(buffers, primitive.weights[:, four])
    attributes |= {f"_{custom.name}": _vertices(buffers, _aligned(custom.values)) for custom in primitive.attributes}
    found: Json = {"attributes": attributes, "indices": _indices(primitive.indices, len(primitive.positions), buffers)}
    if primitive.material is not None:
        found["material"] = primitive.material
    targets = [_target(target, buffers) for target in primitive.targets]
    return found | ({"targets": targets} if targets else {})


def _target(target: MorphTarget, buffers: Buffers) -> Json:
    found: Json = {}
    if target.positions is not None:
        found["POSITION"] = _vertices(buffers, target.positions, bounds=True)
    for name, array in (("NORMAL", target.normals), ("TANGENT", target.tangents)):
        if array is not None:
            found[name] = _vertices(buffers, array)
    for key, sets in (("TEXCOORD", target.uvs), ("COLOR", target.colors)):
        found |= {f"{key}_{number}": _vertices(buffers, array) for number, array in enumerate(sets)}
    return found


def _strokes(strokes: Strokes, buffers: Buffers) -> Json:
    attributes = {"POSITION": _vertices(buffers, strokes.positions, bounds=True)}
    attributes |= {f"COLOR_{number}": _vertices(buffers, array) for number, array in enumerate(strokes.colors)}
    mode = _POINTS if strokes.indices.shape[1] == 1 else _LINES
    found: Json = {"attributes": attributes, "mode": mode}
    found["indices"] = _indices(strokes.indices, len(strokes.positions), buffers)
    return found if strokes.material is None else found | {"material": strokes.material}


def _tangents(primitive: Primitive, materials: Sequence[Material]) -> FloatArray | None:
    """The tangents that a normal map needs: without them readers compute their own, each its own way."""
    if primitive.normals is None:
        return None
    if primitive.tangents is not None or primitive.material is None:
        return primitive.tangents
    ref = _bumps(materials[primitive.material])
    if ref is None or ref.uv_set >= len(primitive.uvs):
        return None
    return vertex_tangents(primitive.positions, primitive.normals, primitive.uvs[ref.uv_set], primitive.indices)


def _bumps(material: Material) -> TextureRef | None:
    """The texture whose UVs say which way tangents run, if the material looks at tangents at all."""
    if material.normal_texture is not None:
        return material.normal_texture
    if material.clearcoat is not None and material.clearcoat.normal_texture is not None:
        return material.clearcoat.normal_texture
    if material.anisotropy is not None:
        return material.anisotropy.texture or TextureRef(0)
    return None


def _aligned(values: AnyArray) -> AnyArray:
    """Rows of whole four bytes, as glTF asks of vertex attributes: short ones become u32 or f32."""
    if values.dtype.itemsize * values.shape[1] % 4 == 0 and values.dtype.str[1:] != "u4":
        return values
    return values.astype(np.float32)


def _indices(indices: AnyArray, vertices: int, buffers: Buffers) -> int:
    """Indices as u16 when the vertices allow (65,535 itself is reserved)."""
    return buffers.accessor(indices, "SCALAR", ELEMENT_ARRAY_BUFFER, kind="u2" if vertices < _SMALL else "u4")

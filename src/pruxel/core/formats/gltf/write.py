"""Write glTF 2.0: one GLB, or JSON with a binary file and textures beside it."""

from __future__ import annotations

import struct
from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np
import orjson

from pruxel import __version__
from pruxel.core.base.arrays import FloatArray
from pruxel.core.base.context import Context
from pruxel.core.formats.gltf.buffers import ARRAY_BUFFER, ELEMENT_ARRAY_BUFFER, SHAPES, Buffers
from pruxel.core.formats.gltf.materials import extensions_used, material_json, sampler_json
from pruxel.core.formats.registry import OutFile
from pruxel.core.formats.textures import ImageFile, image_files
from pruxel.core.geometry.tangents import vertex_tangents
from pruxel.core.scene.materials import Material, Sampler
from pruxel.core.scene.model import Clip, Mesh, Node, Primitive, Scene, Skin

Json = dict[str, Any]
_MAGIC, _JSON, _BIN = 0x46546C67, 0x4E4F534A, 0x004E4942
_SMALL = 65_535


def write_glb(scene: Scene, stem: str, context: Context) -> list[OutFile]:
    """One self-contained file."""
    buffers = Buffers()
    document = _document(scene, buffers)
    images = image_files(scene.images, context.part(0.0, 0.8))
    document |= _listed("images", [_image(f) | {"bufferView": buffers.view(f.data)} for f in images])
    buffer = {"byteLength": buffers.length} if buffers.length else None
    text = _finished(document, buffers, buffer)
    text += b" " * (-len(text) % 4)
    total = 12 + 8 + len(text) + (8 + buffers.length if buffers.length else 0)
    head = struct.pack("<IIIII", _MAGIC, 2, total, len(text), _JSON)
    body = (struct.pack("<II", buffers.length, _BIN), *buffers.pieces) if buffers.length else ()
    return [OutFile(f"{stem}.glb", (head, text, *body))]


def write_gltf(scene: Scene, stem: str, context: Context) -> list[OutFile]:
    """JSON, a `.bin` and a folder of textures; links are relative."""
    buffers = Buffers()
    document = _document(scene, buffers)
    images = image_files(scene.images, context.part(0.0, 0.8))
    document |= _listed("images", [_image(f) | {"uri": f"textures/{f.name}"} for f in images])
    buffer = {"uri": f"{stem}.bin", "byteLength": buffers.length} if buffers.length else None
    files = [OutFile(f"{stem}.gltf", (_finished(document, buffers, buffer),))]
    if buffers.length:
        files.append(OutFile(f"{stem}.bin", tuple(buffers.pieces)))
    return files + [OutFile(f"textures/{f.name}", (f.data,)) for f in images]


def _image(file: ImageFile) -> Json:
    return {"name": file.name.rsplit(".", 1)[0], "mimeType": file.media_type}


def _listed(key: str, items: Sequence[Any]) -> Json:
    """The key with its list, or nothing: glTF forbids empty lists."""
    return {key: list(items)} if items else {}


def _finished(document: Json, buffers: Buffers, buffer: Json | None) -> bytes:
    document |= _listed("accessors", buffers.accessors) | _listed("bufferViews", buffers.views)
    document |= _listed("buffers", [buffer] if buffer else [])
    document |= _listed("extensionsUsed", sorted(extensions_used(document)))
    return orjson.dumps(document)


def _skinned_to_roots(scene: Scene) -> Scene:
    """Skinned parts moved to the top of the tree: their joints alone decide where they stand (section 3.7.3.3)."""
    skinned = {i for i, node in enumerate(scene.nodes) if node.skin is not None and not node.children}
    moved = skinned - set(scene.roots)
    if not moved:
        return scene
    nodes = tuple(replace(n, children=tuple(c for c in n.children if c not in moved)) for n in scene.nodes)
    return replace(scene, nodes=nodes, roots=(*scene.roots, *sorted(moved)))


def _document(scene: Scene, buffers: Buffers) -> Json:
    scene = _skinned_to_roots(scene)
    samplers: list[Sampler] = list(dict.fromkeys(t.sampler for t in scene.textures))
    textures = [{"sampler": samplers.index(t.sampler), "source": t.image} for t in scene.textures]
    roots = _listed("nodes", list(scene.roots))
    return (
        {"asset": {"version": "2.0", "generator": f"Pruxel {__version__}"}}
        | {"scene": 0, "scenes": [{"name": scene.name} | roots]}
        | _listed("nodes", [_node(n) for n in scene.nodes])
        | _listed("meshes", [_mesh(m, buffers, scene.materials) for m in scene.meshes])
        | _listed("materials", [material_json(m) for m in scene.materials])
        | _listed("samplers", [sampler_json(s) for s in samplers])
        | _listed("textures", textures)
        | _listed("skins", [_skin(s, buffers) for s in scene.skins])
        | _listed("animations", [_clip(c, buffers) for c in scene.clips if c.channels])
    )


def _node(node: Node) -> Json:
    found: Json = {"name": node.name}
    if node.mesh is not None:
        found["mesh"] = node.mesh
    if node.skin is not None:
        found["skin"] = node.skin
    if node.translation != (0.0, 0.0, 0.0):
        found["translation"] = list(node.translation)
    if node.rotation != (0.0, 0.0, 0.0, 1.0):
        found["rotation"] = list(node.rotation)
    if node.scale != (1.0, 1.0, 1.0):
        found["scale"] = list(node.scale)
    extras: Json = {}
    if node.role != "visual":
        extras["role"] = node.role
    if node.detail:
        extras["detail"] = node.detail
    return found | ({"extras": extras} if extras else {}) | _listed("children", node.children)


def _mesh(mesh: Mesh, buffers: Buffers, materials: Sequence[Material]) -> Json:
    found: Json = {
        "name": mesh.name,
        "primitives": [_primitive(p, buffers, materials) for p in mesh.primitives],
    }
    names = [t.name for p in mesh.primitives[:1] for t in p.targets]
    if mesh.target_weights:
        found["weights"] = list(mesh.target_weights)
    return found | ({"extras": {"targetNames": names}} if names else {})


def _primitive(primitive: Primitive, buffers: Buffers, materials: Sequence[Material]) -> Json:
    def vertices(array: Any, *, bounds: bool = False) -> int:  # noqa: ANN401
        return buffers.accessor(array, SHAPES[array.shape[1]], ARRAY_BUFFER, bounds=bounds)

    attributes = {"POSITION": vertices(primitive.positions, bounds=True)}
    for name, array in (
        ("NORMAL", primitive.normals),
        ("TANGENT", _tangents(primitive, materials)),
        ("COLOR_0", primitive.colors),
    ):
        if array is not None:
            attributes[name] = vertices(array)
    for number, uvs in enumerate(primitive.uvs):
        attributes[f"TEXCOORD_{number}"] = vertices(uvs)
    if primitive.joints is not None and primitive.weights is not None:
        for number in range(primitive.joints.shape[1] // 4):
            four = slice(4 * number, 4 * number + 4)
            attributes[f"JOINTS_{number}"] = vertices(primitive.joints[:, four])
            attributes[f"WEIGHTS_{number}"] = vertices(primitive.weights[:, four])
    found: Json = {"attributes": attributes, "indices": _indices(primitive, buffers)}
    if primitive.material is not None:
        found["material"] = primitive.material
    targets = [
        {"POSITION": vertices(t.positions, bounds=True)}
        | ({} if t.normals is None else {"NORMAL": vertices(t.normals)})
        for t in primitive.targets
    ]
    return found | _listed("targets", targets)


def _tangents(primitive: Primitive, materials: Sequence[Material]) -> FloatArray | None:
    """The tangents that a normal map needs: without them readers compute their own, each its own way."""
    if primitive.tangents is not None or primitive.material is None or primitive.normals is None:
        return primitive.tangents
    ref = materials[primitive.material].normal_texture
    if ref is None or ref.uv_set >= len(primitive.uvs):
        return None
    return vertex_tangents(primitive.positions, primitive.normals, primitive.uvs[ref.uv_set], primitive.indices)


def _indices(primitive: Primitive, buffers: Buffers) -> int:
    """Indices as u16 when the vertices allow (65,535 itself is reserved)."""
    flat = primitive.indices.reshape(-1)
    if len(primitive.positions) < _SMALL:
        flat = flat.astype(np.uint16)
    return buffers.accessor(flat, "SCALAR", ELEMENT_ARRAY_BUFFER)


def _skin(skin: Skin, buffers: Buffers) -> Json:
    columns = np.ascontiguousarray(skin.inverse_bind.transpose(0, 2, 1), dtype=np.float32)
    found: Json = {
        "name": skin.name,
        "joints": list(skin.joints),
        "inverseBindMatrices": buffers.accessor(columns.reshape(-1, 16), "MAT4"),
    }
    return found if skin.skeleton is None else found | {"skeleton": skin.skeleton}


def _clip(clip: Clip, buffers: Buffers) -> Json:
    samplers, channels = [], []
    for channel in clip.channels:
        width = 1 if channel.path == "weights" else channel.values.shape[1]
        samplers.append(
            {
                "input": buffers.accessor(channel.times, "SCALAR", bounds=True),
                "output": buffers.accessor(channel.values, SHAPES[width]),
                "interpolation": channel.interpolation,
            },
        )
        target = {"node": channel.node, "path": channel.path}
        channels.append({"sampler": len(samplers) - 1, "target": target})
    return {"name": clip.name, "samplers": samplers, "channels": channels}

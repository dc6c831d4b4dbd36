"""Write glTF 2.0: one GLB, or JSON with a binary file and textures beside it.

Scenes come from `formats.ready`, which has seen to what every writer needs: drawable parts, clean joints, readable
images.
"""

from __future__ import annotations

import struct
from collections.abc import Sequence
from typing import Any

import numpy as np
import orjson

from pruxel import __version__
from pruxel.core.base.context import Context
from pruxel.core.formats.gltf.buffers import SHAPES, Buffers
from pruxel.core.formats.gltf.container import BINARY_CHUNK, JSON_CHUNK, MAGIC
from pruxel.core.formats.gltf.extras import extras_json
from pruxel.core.formats.gltf.materials import extensions_used, material_json, sampler_json
from pruxel.core.formats.gltf.options import GltfOptions
from pruxel.core.formats.gltf.packing import NAME as MESHOPT
from pruxel.core.formats.gltf.packing import Stored, as_they_are, packed
from pruxel.core.formats.gltf.pointers import pointed_channels, said_where_pointed
from pruxel.core.formats.gltf.variants import names_json
from pruxel.core.formats.gltf.write_meshes import mesh_json
from pruxel.core.formats.registry import OutFile
from pruxel.core.formats.textures import ImageFile, image_files
from pruxel.core.scene.images import EncodedImage, Image
from pruxel.core.scene.materials import Material, Sampler, Texture
from pruxel.core.scene.measure import variant_names
from pruxel.core.scene.model import Camera, Clip, Light, Node, Scene, Skin, Stage

Json = dict[str, Any]
_LIGHTS = "KHR_lights_punctual"
_WEBP = "EXT_texture_webp"


def write_glb(scene: Scene, stem: str, options: GltfOptions, context: Context) -> list[OutFile]:
    """One self-contained file."""
    buffers = Buffers()
    document = _document(scene, buffers)
    images = image_files(scene.images, context.part(0.0, 0.8))
    document |= _listed("images", [_image(f) | {"bufferView": buffers.view(f.data)} for f in images])
    stored = packed(buffers) if options.pack else as_they_are(buffers)
    text = _finished(document, buffers, stored, {})
    text += b" " * (-len(text) % 4)
    total = 12 + 8 + len(text) + (8 + stored.length if stored.length else 0)
    head = struct.pack("<IIIII", MAGIC, 2, total, len(text), JSON_CHUNK)
    body = (struct.pack("<II", stored.length, BINARY_CHUNK), *stored.pieces) if stored.length else ()
    return [OutFile(f"{stem}.glb", (head, text, *body))]


def write_gltf(scene: Scene, stem: str, options: GltfOptions, context: Context) -> list[OutFile]:
    """JSON, a `.bin` and a folder of textures; links are relative."""
    buffers = Buffers()
    document = _document(scene, buffers)
    images = image_files(scene.images, context.part(0.0, 0.8))
    document |= _listed("images", [_image(f) | {"uri": f"textures/{f.name}"} for f in images])
    stored = packed(buffers) if options.pack else as_they_are(buffers)
    files = [OutFile(f"{stem}.gltf", (_finished(document, buffers, stored, {"uri": f"{stem}.bin"}),))]
    if stored.length:
        files.append(OutFile(f"{stem}.bin", tuple(stored.pieces)))
    return files + [OutFile(f"textures/{f.name}", (f.data,)) for f in images]


def _image(file: ImageFile) -> Json:
    return {"name": file.name.rsplit(".", 1)[0], "mimeType": file.media_type}


def _listed(key: str, items: Sequence[Any]) -> Json:
    """The key with its list, or nothing: glTF forbids empty lists."""
    return {key: list(items)} if items else {}


def _finished(document: Json, buffers: Buffers, stored: Stored, first: Json) -> bytes:
    """The text; `first` is what is said of the buffer that holds the bytes."""
    document |= _listed("accessors", buffers.accessors) | _listed("bufferViews", stored.views)
    document |= _listed("buffers", [first | stored.buffers[0], *stored.buffers[1:]] if stored.length else [])
    used = sorted(extensions_used(document))
    needed = [name for name in used if name in {_WEBP, MESHOPT}]
    document |= _listed("extensionsUsed", used) | _listed("extensionsRequired", needed)
    return orjson.dumps(document)


def _document(scene: Scene, buffers: Buffers) -> Json:
    samplers: list[Sampler] = list(dict.fromkeys(t.sampler for t in scene.textures))
    stages = (Stage(scene.name, scene.roots), *scene.stages)
    lights = [_light(light) for light in scene.lights]
    variants = variant_names(scene.meshes)
    extensions = {_LIGHTS: {"lights": lights}} if lights else {}
    extensions |= names_json(variants)
    document: Json = (
        {"asset": {"version": "2.0", "generator": f"Pruxel {__version__}"}}
        | {"scene": 0, "scenes": [{"name": stage.name} | _listed("nodes", stage.roots) for stage in stages]}
        | _listed("nodes", [_node(node) for node in scene.nodes])
        | _listed("meshes", [mesh_json(mesh, buffers, scene.materials, variants) for mesh in scene.meshes])
        | _listed("materials", [material_json(material) for material in scene.materials])
        | _listed("samplers", [sampler_json(sampler) for sampler in samplers])
        | _listed(
            "textures", [_texture(texture, samplers.index(texture.sampler), scene.images) for texture in scene.textures]
        )
        | _listed("skins", [_skin(skin, buffers) for skin in scene.skins])
        | _listed("cameras", [_camera(camera) for camera in scene.cameras])
        | _listed("animations", [_clip(clip, scene.materials, buffers) for clip in scene.clips if clip.tracks])
        | ({"extensions": extensions} if extensions else {})
        | extras_json(scene.extras)
    )
    said_where_pointed(document, scene.clips)
    return document


def _texture(texture: Texture, sampler: int, images: Sequence[Image]) -> Json:
    content = images[texture.image].content
    source: Json = {"source": texture.image}
    if isinstance(content, EncodedImage) and content.media_type == "image/webp":
        source = {"extensions": {_WEBP: source}}
    return {"sampler": sampler} | source | extras_json(texture.extras)


def _node(node: Node) -> Json:
    found: Json = {"name": node.name}
    found |= {key: number for key in ("mesh", "skin", "camera") if (number := getattr(node, key)) is not None}
    if node.light is not None:
        found["extensions"] = {_LIGHTS: {"light": node.light}}
    if node.matrix is not None:
        found["matrix"] = [node.matrix[row][column] for column in range(4) for row in range(4)]
    else:
        plain = Node(node.name)
        placed = {key: getattr(node, key) for key in ("translation", "rotation", "scale")}
        found |= {key: list(value) for key, value in placed.items() if value != getattr(plain, key)}
    if node.weights is not None and node.mesh is not None:
        found["weights"] = list(node.weights)
    own: Json = {} if node.role == "visual" else {"role": node.role}
    own |= {"detail": node.detail} if node.detail else {}
    return found | extras_json(node.extras, own) | _listed("children", node.children)


def _skin(skin: Skin, buffers: Buffers) -> Json:
    columns = np.ascontiguousarray(skin.inverse_bind.transpose(0, 2, 1), dtype=np.float32)
    found: Json = {
        "name": skin.name,
        "joints": list(skin.joints),
        "inverseBindMatrices": buffers.accessor(columns.reshape(-1, 16), "MAT4"),
    }
    return found | ({} if skin.skeleton is None else {"skeleton": skin.skeleton}) | extras_json(skin.extras)


def _camera(camera: Camera) -> Json:
    extras = extras_json(camera.extras)
    depth = {"znear": camera.near} | ({} if camera.far is None else {"zfar": camera.far})
    if camera.yfov_rad is None:
        flat = {"xmag": camera.xmag, "ymag": camera.ymag} | {"zfar": camera.near + 1000.0} | depth
        return {"name": camera.name, "type": "orthographic", "orthographic": flat} | extras
    deep = {"yfov": camera.yfov_rad} | ({} if camera.aspect is None else {"aspectRatio": camera.aspect}) | depth
    return {"name": camera.name, "type": "perspective", "perspective": deep} | extras


def _light(light: Light) -> Json:
    found: Json = {"name": light.name, "type": light.kind, "color": list(light.color), "intensity": light.intensity}
    if light.range is not None and light.kind != "directional":
        found["range"] = light.range
    if light.kind == "spot":
        found["spot"] = {"innerConeAngle": light.inner_cone_rad, "outerConeAngle": light.outer_cone_rad}
    return found | extras_json(light.extras)


def _clip(clip: Clip, materials: Sequence[Material], buffers: Buffers) -> Json:
    samplers, channels = list[Json](), list[Json]()
    for channel in clip.channels:
        flat = channel.path == "weights"
        samplers.append(
            {
                "input": buffers.accessor(channel.times, "SCALAR", bounds=True),
                "output": buffers.accessor(channel.values, "SCALAR" if flat else SHAPES[channel.values.shape[1]]),
                "interpolation": channel.interpolation,
            },
        )
        target = {"node": channel.node, "path": channel.path}
        channels.append({"sampler": len(samplers) - 1, "target": target})
    for sampler, pointed in pointed_channels(clip, materials, buffers):
        if not samplers or samplers[-1] is not sampler:
            samplers.append(sampler)
        channels.append({"sampler": len(samplers) - 1, "target": pointed})
    return {"name": clip.name, "samplers": samplers, "channels": channels} | extras_json(clip.extras)

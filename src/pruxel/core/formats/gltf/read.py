"""Read glTF 2.0 and GLB."""

from __future__ import annotations

import struct
from typing import Any

import numpy as np
import orjson

from pruxel.core.base.arrays import AnyArray, as_floats, as_indices, frozen
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, Fault, InputError
from pruxel.core.formats.gltf.access import Access
from pruxel.core.formats.gltf.materials import material_from, sampler_from
from pruxel.core.formats.registry import Find, ReadResult
from pruxel.core.geometry.normals import vertex_normals
from pruxel.core.geometry.transforms import decompose
from pruxel.core.images.decode import media_type
from pruxel.core.scene.edit import unique_names
from pruxel.core.scene.images import EncodedImage, Image
from pruxel.core.scene.materials import Sampler, Texture
from pruxel.core.scene.model import Clip, ClipChannel, Mesh, MorphTarget, Node, Primitive, Scene, Skin
from pruxel.core.scene.origin import Origin

Json = dict[str, Any]
_UNREADABLE = {"KHR_draco_mesh_compression", "EXT_meshopt_compression"}
_TRIANGLES, _STRIP, _FAN = 4, 5, 6


def read(data: memoryview, name: str, find: Find, context: Context) -> ReadResult:
    """Read either form; raises `InputError`. Primitives that cannot be used come back as faults."""
    document, binary = _split(data, name)
    needed = _UNREADABLE.intersection(document.get("extensionsRequired", ()))
    if needed:
        raise InputError(
            ErrorCode.UNKNOWN_FORMAT,
            f"the file needs {', '.join(sorted(needed))}",
            file=name,
            expected="plain buffers",
            hint="Save it again without mesh compression.",
        )
    access = Access(document, name, find, binary)
    try:
        return _scene(access, context)
    except (KeyError, TypeError, ValueError, AttributeError, IndexError, RecursionError) as error:
        raise InputError(
            ErrorCode.MALFORMED,
            f"the file does not follow glTF 2.0 ({type(error).__name__}: {error})",
            file=name,
            hint="Check it with a glTF validator.",
        ) from error


def _split(data: memoryview, name: str) -> tuple[Json, memoryview | None]:
    if bytes(data[:4]) != b"glTF":
        return _json(data, name), None
    if len(data) < 20:
        raise InputError(ErrorCode.TRUNCATED, "the GLB header is cut off", file=name, offset=len(data))
    _, version, total, size, kind = struct.unpack_from("<4sIII4s", data)
    if version != 2 or kind != b"JSON":
        raise InputError(
            ErrorCode.UNKNOWN_VERSION,
            "not a glTF 2 binary",
            file=name,
            offset=4,
            expected="version 2",
            found=str(version),
        )
    if total > len(data) or 20 + size > len(data):
        raise InputError(
            ErrorCode.TRUNCATED,
            "the file is cut off",
            file=name,
            offset=len(data),
            expected=f"{max(total, 20 + size):,} bytes",
            found=f"{len(data):,}",
        )
    document, at = _json(data[20 : 20 + size], name), 20 + size
    if at + 8 > len(data):
        return document, None
    (length,) = struct.unpack_from("<I", data, at)
    return document, data[at + 8 : at + 8 + length]


def _json(data: memoryview, name: str) -> Json:
    try:
        document = orjson.loads(data)
    except orjson.JSONDecodeError as error:
        raise InputError(
            ErrorCode.MALFORMED, f"not valid JSON: {error}", file=name, hint="Is this a glTF file?"
        ) from error
    if not isinstance(document, dict) or "asset" not in document:
        raise InputError(ErrorCode.UNKNOWN_FORMAT, "JSON, but not glTF", file=name, expected="an 'asset' object")
    return document


def _scene(access: Access, context: Context) -> ReadResult:
    document, origin = access.document, Origin(entry=access.name)
    faults: list[Fault] = []
    meshes = []
    for number, found in enumerate(document.get("meshes", [])):
        context.progress(number / len(document["meshes"]), access.name)
        meshes.append(_mesh(access, found, number, origin, faults))
    images = tuple(_image(access, i, f, faults) for i, f in enumerate(document.get("images", [])))
    samplers = [sampler_from(s) for s in document.get("samplers", [])]
    textures = []
    for found in document.get("textures", []):
        sampler = samplers[found["sampler"]] if "sampler" in found else Sampler()
        textures.append(Texture(int(found.get("source", 0)), sampler))
    scenes = document.get("scenes", [])
    shown = scenes[int(document.get("scene", 0))] if scenes else {"nodes": list(range(len(document.get("nodes", []))))}
    nodes = tuple(_node(f, i) for i, f in enumerate(document.get("nodes", [])))
    scene = Scene(
        access.name.rsplit("/", 1)[-1].rsplit(".", 1)[0],
        unique_names(nodes),
        tuple(int(r) for r in shown.get("nodes", ())),
        tuple(meshes),
        tuple(material_from(f, i) for i, f in enumerate(document.get("materials", []))),
        tuple(textures),
        images,
        tuple(_skin(access, f, i) for i, f in enumerate(document.get("skins", []))),
        tuple(_clip(access, f, i, origin) for i, f in enumerate(document.get("animations", []))),
    )
    return ReadResult(scene, tuple(faults))


def _extras(found: Json) -> Json:
    """The application's own values, when they are an object (they may be anything)."""
    extras = found.get("extras")
    return extras if isinstance(extras, dict) else {}


def _node(found: Json, number: int) -> Node:
    if "matrix" in found:
        matrix = np.array(found["matrix"], dtype=np.float64).reshape(4, 4).T
        translation, rotation, scale = decompose(matrix)
    else:
        translation = tuple(float(v) for v in found.get("translation", (0, 0, 0)))  # type: ignore[assignment]
        rotation = tuple(float(v) for v in found.get("rotation", (0, 0, 0, 1)))  # type: ignore[assignment]
        scale = tuple(float(v) for v in found.get("scale", (1, 1, 1)))  # type: ignore[assignment]
    extras = _extras(found)
    role = extras.get("role", "visual")
    return Node(
        str(found.get("name") or f"part {number + 1}"),
        found.get("mesh"),
        found.get("skin"),
        tuple(int(c) for c in found.get("children", ())),
        translation,
        rotation,
        scale,
        role if role in {"visual", "collision", "helper"} else "visual",
        int(extras.get("detail", 0)) if isinstance(extras.get("detail", 0), int) else 0,
    )


def _mesh(access: Access, found: Json, number: int, origin: Origin, faults: list[Fault]) -> Mesh:
    primitives = []
    for index, item in enumerate(found["primitives"]):
        place = f"meshes[{number}].primitives[{index}]"
        mode = item.get("mode", _TRIANGLES)
        if mode not in {_TRIANGLES, _STRIP, _FAN}:
            faults.append(Fault(ErrorCode.MALFORMED, "points and lines are left out", file=access.name, field=place))
            continue
        try:
            primitives.append(_primitive(access, item, mode, found, place, origin))
        except InputError as error:
            faults.append(error.fault)
    weights = tuple(float(w) for w in found.get("weights", ()))
    return Mesh(str(found.get("name") or f"mesh {number + 1}"), tuple(primitives), weights)


def _primitive(access: Access, item: Json, mode: int, mesh: Json, place: str, origin: Origin) -> Primitive:
    attributes: Json = item["attributes"]
    positions = as_floats(access.floats(attributes["POSITION"]), 3)
    if not np.isfinite(positions).all():
        first = int(np.argmax(~np.isfinite(positions).all(axis=1)))
        raise access.bad(
            f"{place} vertex {first:,}", "a position is not a number", "finite numbers", str(positions[first].tolist())
        )
    indices = _corners(access, item, mode, len(positions), place)

    def optional(key: str, width: int) -> AnyArray | None:
        if key not in attributes:
            return None
        array = access.floats(attributes[key])
        if len(array) != len(positions):
            raise access.bad(place, f"{key} has another length than POSITION", f"{len(positions):,}", f"{len(array):,}")
        if key == "COLOR_0" and array.shape[1] == 3:
            array = np.concatenate([array, np.ones((len(array), 1), np.float32)], axis=1)
        return as_floats(array, width)

    normals = optional("NORMAL", 3)
    uvs = [optional(f"TEXCOORD_{i}", 2) for i in range(8)]
    joints, weights = _influences(access, attributes)
    names = _extras(mesh).get("targetNames", [])
    targets = tuple(
        MorphTarget(
            str(names[i]) if i < len(names) else f"target {i + 1}",
            as_floats(access.floats(t["POSITION"]), 3) if "POSITION" in t else as_floats(np.zeros_like(positions), 3),
            as_floats(access.floats(t["NORMAL"]), 3) if "NORMAL" in t else None,
        )
        for i, t in enumerate(item.get("targets", ()))
    )
    return Primitive(
        positions,
        indices,
        vertex_normals(positions, indices) if normals is None else normals,
        optional("TANGENT", 4),
        tuple(uv for uv in uvs if uv is not None),
        optional("COLOR_0", 4),
        joints,
        weights,
        item.get("material"),
        targets,
        origin,
    )


def _influences(access: Access, attributes: Json) -> tuple[AnyArray | None, AnyArray | None]:
    count = sum(f"JOINTS_{i}" in attributes and f"WEIGHTS_{i}" in attributes for i in range(4))
    if not count:
        return None, None
    joints = [access.raw(attributes[f"JOINTS_{i}"])[0].astype(np.uint16) for i in range(count)]
    weights = [access.floats(attributes[f"WEIGHTS_{i}"]) for i in range(count)]
    return frozen(np.concatenate(joints, axis=1)), frozen(np.concatenate(weights, axis=1))


def _corners(access: Access, item: Json, mode: int, vertices: int, place: str) -> AnyArray:
    if "indices" in item:
        flat = access.raw(item["indices"])[0].reshape(-1).astype(np.uint32)
    else:
        flat = np.arange(vertices, dtype=np.uint32)
    if flat.size and int(flat.max()) >= vertices:
        first = int(np.argmax(flat >= vertices))
        raise access.bad(
            f"{place} index {first:,}", "an index is out of range", f"0 to {vertices - 1:,}", str(int(flat[first]))
        )
    if mode == _STRIP:
        corners = np.stack([flat[:-2], flat[1:-1], flat[2:]], axis=1)
        corners[1::2] = corners[1::2, [1, 0, 2]]
    elif mode == _FAN:
        corners = np.stack([np.full(max(len(flat) - 2, 0), flat[0]), flat[1:-1], flat[2:]], axis=1)
    else:
        if flat.size % 3:
            raise access.bad(place, "the indices do not make whole triangles", "a multiple of three", f"{flat.size:,}")
        corners = flat.reshape(-1, 3)
    return as_indices(corners)


def _image(access: Access, number: int, found: Json, faults: list[Fault]) -> Image:
    name = str(
        found.get("name") or str(found.get("uri", f"image {number + 1}"))[:60].rsplit("/", 1)[-1].rsplit(".", 1)[0]
    )
    try:
        if "bufferView" in found:
            data = bytes(access.view_bytes(int(found["bufferView"])))
        else:
            data = access.uri(str(found["uri"]), f"images[{number}]")
    except InputError as error:
        faults.append(error.fault)
        data = b""
    kind = media_type(data, name)
    return Image(name, EncodedImage(data, kind), Origin(entry=access.name, record=f"images[{number}]"))


def _skin(access: Access, found: Json, number: int) -> Skin:
    joints = tuple(int(j) for j in found["joints"])
    if "inverseBindMatrices" in found:
        columns = access.floats(found["inverseBindMatrices"]).reshape(-1, 4, 4)
        matrices = columns.transpose(0, 2, 1).astype(np.float64)
    else:
        matrices = np.tile(np.eye(4), (len(joints), 1, 1))
    return Skin(str(found.get("name") or f"skin {number + 1}"), joints, frozen(matrices), found.get("skeleton"))


def _clip(access: Access, found: Json, number: int, origin: Origin) -> Clip:
    channels = []
    for item in found.get("channels", ()):
        target = item["target"]
        sampler = found["samplers"][item["sampler"]]
        if "node" not in target or target["path"] not in {"translation", "rotation", "scale", "weights"}:
            continue
        channels.append(
            ClipChannel(
                int(target["node"]),
                target["path"],
                frozen(access.floats(sampler["input"]).reshape(-1)),
                frozen(access.floats(sampler["output"])),
                sampler.get("interpolation", "LINEAR"),
            ),
        )
    return Clip(str(found.get("name") or f"clip {number + 1}"), tuple(channels), origin)

"""The outside of a glTF file: GLB chunks or bare JSON, its encoding, version and extensions."""

from __future__ import annotations

import re
import struct
from dataclasses import dataclass

import orjson

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.formats.fields import Fields

MAGIC, JSON_CHUNK, BINARY_CHUNK = 0x46546C67, 0x4E4F534A, 0x004E4942
# Every extension that this reader fully understands, beside those of materials.
READABLE = frozenset(
    {
        "KHR_draco_mesh_compression",
        "KHR_animation_pointer",
        "KHR_lights_punctual",
        "KHR_materials_variants",
        "KHR_materials_pbrSpecularGlossiness",
        "KHR_mesh_quantization",
        "KHR_node_visibility",
        "KHR_texture_transform",
        "EXT_mesh_gpu_instancing",
        "EXT_meshopt_compression",
        "KHR_meshopt_compression",
        "EXT_texture_webp",
        "KHR_texture_basisu",
        "MSFT_texture_dds",
    }
)
_BYTE_ORDER_MARKS = ((b"\xef\xbb\xbf", "utf-8"), (b"\xff\xfe", "utf-16-le"), (b"\xfe\xff", "utf-16-be"))


@dataclass(frozen=True, eq=False)
class Container:
    """The document, the GLB's binary chunk if there is one, and what has to be told of the outside."""

    document: Fields
    binary: memoryview | None
    notes: tuple[str, ...]


def opened(data: memoryview, name: str, readable: frozenset[str]) -> Container:
    """Take a file apart; raises `InputError` for a version, encoding or extension that cannot be read."""
    notes: list[str] = []
    if bytes(data[:4]) == b"glTF":
        text, binary = _chunks(data, name, notes)
    else:
        text, binary = data, None
    document = Fields(_json(text, name, notes), name)
    _check_version(document, name)
    needed = [ext for ext in document.texts("extensionsRequired") if ext not in readable]
    if needed:
        raise InputError(
            ErrorCode.UNKNOWN_FORMAT,
            f"the glTF file cannot be read without {' and '.join(needed)}",
            file=name,
            field="extensionsRequired",
            expected=", ".join(sorted(readable)),
            found=", ".join(needed),
            hint="Save it again without that extension.",
        )
    unknown = [ext for ext in document.texts("extensionsUsed") if ext not in readable]
    if unknown:
        notes.append(f"extensions that are not read, and that the file can do without: {', '.join(unknown)}")
    return Container(document, binary, tuple(notes))


def _chunks(data: memoryview, name: str, notes: list[str]) -> tuple[memoryview, memoryview | None]:
    """Source: glTF 2.0, section 4.4."""
    if len(data) < 20:
        raise InputError(
            ErrorCode.TRUNCATED, "the GLB header is cut off", file=name, offset=len(data), expected="20 bytes or more"
        )
    _, version, total = struct.unpack_from("<III", data)
    if version != 2:
        raise InputError(
            ErrorCode.UNKNOWN_VERSION,
            "this GLB is of a version that is not read",
            file=name,
            offset=4,
            expected="version 2",
            found=f"version {version}",
            hint="Save it again as glTF 2.0.",
        )
    if total > len(data):
        raise InputError(
            ErrorCode.TRUNCATED,
            "the GLB file is cut off",
            file=name,
            offset=len(data),
            expected=f"{total:,} bytes",
            found=f"{len(data):,}",
        )
    found: dict[int, memoryview] = {}
    at = 12
    while at + 8 <= total:
        length, kind = struct.unpack_from("<II", data, at)
        if at + 8 + length > total:
            raise InputError(
                ErrorCode.TRUNCATED,
                "a chunk of the GLB file is cut off",
                file=name,
                offset=at,
                expected=f"{length:,} bytes",
                found=f"{total - at - 8:,}",
            )
        if kind in found or kind not in {JSON_CHUNK, BINARY_CHUNK}:
            notes.append(f"not taken over: a chunk of type 0x{kind:08X}, {length:,} bytes")
        else:
            found[kind] = data[at + 8 : at + 8 + length]
        at += 8 + length
    if JSON_CHUNK not in found:
        raise InputError(
            ErrorCode.MALFORMED, "the GLB file has no JSON chunk", file=name, offset=12, expected="a chunk of type JSON"
        )
    if total < len(data):
        notes.append(f"not taken over: {len(data) - total:,} bytes behind the end that the header gives")
    return found[JSON_CHUNK], found.get(BINARY_CHUNK)


def _json(data: memoryview, name: str, notes: list[str]) -> dict[str, object]:
    head = bytes(data[:4])
    text: bytes | memoryview = data
    for mark, encoding in _BYTE_ORDER_MARKS:
        if head.startswith(mark):
            notes.append(f"the text begins with a byte order mark ({encoding.upper()}); glTF asks for UTF-8 without")
            try:
                text = bytes(data[len(mark) :]).decode(encoding).encode()
            except UnicodeDecodeError as error:
                raise InputError(
                    ErrorCode.MALFORMED,
                    f"the text is not {encoding.upper()}, though its byte order mark says so",
                    file=name,
                    offset=len(mark) + error.start,
                ) from error
    try:
        document = orjson.loads(text)
    except orjson.JSONDecodeError as error:
        what = "glTF" if name.lower().endswith((".gltf", ".glb")) else "JSON"
        raise InputError(
            ErrorCode.MALFORMED,
            f"the text is no {what}: {_json_words(error)}",
            file=name,
            offset=error.pos,
            expected="JSON text in UTF-8",
            found=repr(bytes(memoryview(text)[error.pos : error.pos + 12]).decode("utf-8", "replace")),
        ) from error
    if not isinstance(document, dict) or not isinstance(document.get("asset"), dict):
        raise InputError(
            ErrorCode.UNKNOWN_FORMAT,
            "this is JSON, but not glTF",
            file=name,
            field="asset",
            expected="an object 'asset' with a version",
            found="nothing" if isinstance(document, dict) else "no object at the top",
        )
    return document


def _json_words(error: orjson.JSONDecodeError) -> str:
    return f"it breaks off or goes wrong in line {error.lineno:,}"


def _check_version(document: Fields, name: str) -> None:
    asset = document.needed("asset")
    asset.pass_over("generator", "copyright")
    version, least = str(asset.plain("version")), str(asset.plain("minVersion") or "2.0")
    if not re.fullmatch(r"2\.\d+", version) or not re.fullmatch(r"2\.0", least):
        raise InputError(
            ErrorCode.UNKNOWN_VERSION,
            "this glTF file is of a version that is not read",
            file=name,
            field="asset.version",
            expected="2.0",
            found=version if least == "2.0" else f"{version}, at least {least}",
            hint="Save it again as glTF 2.0.",
        )

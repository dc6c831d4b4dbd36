"""The kind of an entry: by its first bytes, then by its name."""

from __future__ import annotations

from collections.abc import Sequence
from enum import StrEnum

from pruxel.core.binary.schema import Layout

HEAD_BYTES = 64


class Kind(StrEnum):
    """What an entry is good for."""

    MODEL = "model"
    SKELETON = "skeleton"
    CLIPS = "clips"
    TEXTURE = "texture"
    MATERIAL = "material"
    LEVEL = "level"
    TABLE = "table"
    PACK = "pack"
    CAPTURE = "capture"
    TEXT = "text"
    UNKNOWN = "unknown"


_BY_MAGIC: tuple[tuple[bytes, Kind], ...] = (
    (b"DDS ", Kind.TEXTURE),
    (b"\x89PNG\r\n\x1a\n", Kind.TEXTURE),
    (b"\xff\xd8\xff", Kind.TEXTURE),
    (b"glTF", Kind.MODEL),
    (b"PK\x03\x04", Kind.PACK),
    (b"PK\x05\x06", Kind.PACK),
)
_BY_ENDING = {
    "obj": Kind.MODEL,
    "gltf": Kind.MODEL,
    "glb": Kind.MODEL,
    "mtl": Kind.MATERIAL,
    "tga": Kind.TEXTURE,
    "dds": Kind.TEXTURE,
    "png": Kind.TEXTURE,
    "jpg": Kind.TEXTURE,
    "jpeg": Kind.TEXTURE,
    "bmp": Kind.TEXTURE,
    "webp": Kind.TEXTURE,
    "csv": Kind.TABLE,
    "tsv": Kind.TABLE,
    "zip": Kind.PACK,
    "txt": Kind.TEXT,
    "md": Kind.TEXT,
    "json": Kind.TEXT,
    "yaml": Kind.TEXT,
    "yml": Kind.TEXT,
    "xml": Kind.TEXT,
    "ini": Kind.TEXT,
}
_BY_PURPOSE = {"pack": Kind.PACK, "model": Kind.MODEL, "material": Kind.MATERIAL, "data": Kind.TABLE}


def ending_of(name: str) -> str:
    """The lower-case ending of a name, without its dot."""
    return name.rsplit(".", 1)[-1].lower() if "." in name.rsplit("/", 1)[-1] else ""


def layout_for(head: bytes, name: str, layouts: Sequence[Layout]) -> Layout | None:
    """The layout whose magic stands in the first bytes; failing that, one without magic by the name's ending."""
    for layout in layouts:
        wanted, at = layout.match.bytes(), layout.match.at
        if wanted is not None and head[at : at + len(wanted)] == wanted:
            return layout
    ending = "." + ending_of(name)
    for layout in layouts:
        if layout.match.bytes() is None and ending in layout.match.extensions:
            return layout
    return None


def classify(head: bytes, name: str, layouts: Sequence[Layout]) -> Kind:
    """The kind by magic first, ending second; `unknown` when neither says anything."""
    layout = layout_for(head, name, layouts)
    if layout is not None:
        return _BY_PURPOSE[layout.reads]
    for magic, kind in _BY_MAGIC:
        if head.startswith(magic):
            return kind
    if head.startswith(b"RIFF") and head[8:12] == b"WEBP":
        return Kind.TEXTURE
    return _BY_ENDING.get(ending_of(name), Kind.UNKNOWN)

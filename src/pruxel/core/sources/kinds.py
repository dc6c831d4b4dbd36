"""The kind of an entry: by its first bytes, then by its name."""

from __future__ import annotations

from collections.abc import Sequence
from enum import StrEnum

from pruxel.core.binary.schema import Layout

HEAD_BYTES = 512
_TAR_MARK = 257


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


# Kinds of entries that get a picture.
DRAWN = frozenset({Kind.CLIPS, Kind.LEVEL, Kind.MODEL, Kind.SKELETON, Kind.TEXTURE})

_BY_MAGIC: tuple[tuple[bytes, Kind], ...] = (
    (b"DDS ", Kind.TEXTURE),
    (b"\x89PNG\r\n\x1a\n", Kind.TEXTURE),
    (b"\xff\xd8\xff", Kind.TEXTURE),
    (b"glTF", Kind.MODEL),
    (b"PK\x03\x04", Kind.PACK),
    (b"PK\x05\x06", Kind.PACK),
    (b"7z\xbc\xaf\x27\x1c", Kind.PACK),
    (b"\x1f\x8b", Kind.PACK),
    (b"BZh", Kind.PACK),
    (b"\xfd7zXZ\x00", Kind.PACK),
    (b"\x28\xb5\x2f\xfd", Kind.PACK),
    (b"\x04\x22\x4d\x18", Kind.PACK),
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
    "7z": Kind.PACK,
    "tar": Kind.PACK,
    "txt": Kind.TEXT,
    "md": Kind.TEXT,
    "json": Kind.TEXT,
    "yaml": Kind.TEXT,
    "yml": Kind.TEXT,
    "xml": Kind.TEXT,
    "ini": Kind.TEXT,
}
_BY_PURPOSE = {
    "pack": Kind.PACK,
    "model": Kind.MODEL,
    "skeleton": Kind.SKELETON,
    "clips": Kind.CLIPS,
    "material": Kind.MATERIAL,
    "level": Kind.LEVEL,
    "data": Kind.TABLE,
}


def ending_of(name: str) -> str:
    """The lower-case ending of a name, without its dot."""
    return name.rsplit(".", 1)[-1].lower() if "." in name.rsplit("/", 1)[-1] else ""


def layouts_for(head: bytes, name: str, layouts: Sequence[Layout]) -> list[Layout]:
    """The layouts whose magic stands in the first bytes; failing that, those without magic by the name's ending.

    Several are one format in several versions.
    """
    by_magic = [
        layout
        for layout in layouts
        if (wanted := layout.match.bytes()) is not None
        and head[layout.match.at : layout.match.at + len(wanted)] == wanted
    ]
    if by_magic:
        return by_magic
    ending = "." + ending_of(name)
    return [layout for layout in layouts if layout.match.bytes() is None and ending in layout.match.extensions]


def is_tar(head: bytes) -> bool:
    """Whether a POSIX or GNU tar header stands first."""
    return head[_TAR_MARK : _TAR_MARK + 5] == b"ustar"


def kinds_by_ending(layouts: Sequence[Layout]) -> dict[str, Kind]:
    """What a name's ending alone says, layouts before the endings known anyway."""
    own = {e.lstrip("."): _BY_PURPOSE[layout.reads] for layout in reversed(layouts) for e in layout.match.extensions}
    return _BY_ENDING | own


def classify(head: bytes, name: str, layouts: Sequence[Layout]) -> Kind:
    """The kind by magic first, ending second; `unknown` when neither says anything."""
    described = layouts_for(head, name, layouts)
    if described:
        return _BY_PURPOSE[described[0].reads]
    if head.startswith(b"RIFF") and head[8:12] == b"WEBP":
        return Kind.TEXTURE
    for magic, kind in _BY_MAGIC:
        if head.startswith(magic):
            return kind
    if is_tar(head):
        return Kind.PACK
    return _BY_ENDING.get(ending_of(name), Kind.UNKNOWN)

"""The kind of an entry: by its first bytes, then by its name."""

from __future__ import annotations

from codecs import getincrementaldecoder
from collections.abc import Sequence
from enum import StrEnum

from pruxel.core.binary.recognise import holds
from pruxel.core.binary.schema import Layout
from pruxel.core.formats.beginnings import begins_as_gltf, begins_as_obj
from pruxel.core.knowledge.patterns import matches

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
    SOUND = "sound"
    FONT = "font"
    VIDEO = "video"
    UNKNOWN = "unknown"


# Kinds of entries that get a picture.
DRAWN = frozenset({Kind.CLIPS, Kind.LEVEL, Kind.MODEL, Kind.SKELETON, Kind.SOUND, Kind.TEXTURE})
# Kinds that open on the Bench by themselves.
OPENED = frozenset({Kind.LEVEL, Kind.MODEL, Kind.SKELETON, Kind.TEXTURE})

# First bytes of open formats, each from its own specification.
_BY_MAGIC: tuple[tuple[bytes, Kind], ...] = (
    (b"DDS ", Kind.TEXTURE),
    (b"\x89PNG\r\n\x1a\n", Kind.TEXTURE),
    (b"\xff\xd8\xff", Kind.TEXTURE),
    (b"GIF87a", Kind.TEXTURE),
    (b"GIF89a", Kind.TEXTURE),
    (b"II*\x00", Kind.TEXTURE),
    (b"MM\x00*", Kind.TEXTURE),
    (b"qoif", Kind.TEXTURE),
    (b"\xabKTX 11\xbb", Kind.TEXTURE),
    (b"\xabKTX 20\xbb", Kind.TEXTURE),
    (b"#?RADIANCE", Kind.TEXTURE),
    (b"\x76\x2f\x31\x01", Kind.TEXTURE),
    (b"glTF", Kind.MODEL),
    (b"ply\n", Kind.MODEL),
    (b"ply\r\n", Kind.MODEL),
    (b"HIERARCHY", Kind.SKELETON),
    (b"#usda", Kind.MODEL),
    (b"PXR-USDC", Kind.MODEL),
    (b"#VRML", Kind.MODEL),
    (b"#X3D", Kind.MODEL),
    (b"PK\x03\x04", Kind.PACK),
    (b"PK\x05\x06", Kind.PACK),
    (b"7z\xbc\xaf\x27\x1c", Kind.PACK),
    (b"\x1f\x8b", Kind.PACK),
    (b"BZh", Kind.PACK),
    (b"\xfd7zXZ\x00", Kind.PACK),
    (b"\x28\xb5\x2f\xfd", Kind.PACK),
    (b"\x04\x22\x4d\x18", Kind.PACK),
    (b"SQLite format 3\x00", Kind.TABLE),
    (b"fLaC", Kind.SOUND),
    (b"ID3", Kind.SOUND),
    (b"MThd", Kind.SOUND),
    (b".snd", Kind.SOUND),
    (b"caff", Kind.SOUND),
    (b"Extended Module:", Kind.SOUND),
    (b"IMPM", Kind.SOUND),
    (b"#!AMR", Kind.SOUND),
    (b"\x00\x01\x00\x00\x00", Kind.FONT),
    (b"OTTO\x00", Kind.FONT),
    (b"ttcf", Kind.FONT),
    (b"wOFF", Kind.FONT),
    (b"wOF2", Kind.FONT),
    (b"STARTFONT", Kind.FONT),
    (b"\x01fcp", Kind.FONT),
    (b"\x1a\x45\xdf\xa3", Kind.VIDEO),
    (b"FLV\x01", Kind.VIDEO),
    (b"\x00\x00\x01\xba", Kind.VIDEO),
    (b"\x00\x00\x01\xb3", Kind.VIDEO),
)
# A word behind a container's first four bytes and four bytes of size.
_BY_FORM: dict[tuple[bytes, bytes], Kind] = {
    (b"RIFF", b"WEBP"): Kind.TEXTURE,
    (b"RIFF", b"WAVE"): Kind.SOUND,
    (b"RIFF", b"RMID"): Kind.SOUND,
    (b"RIFF", b"AVI "): Kind.VIDEO,
    (b"FORM", b"AIFF"): Kind.SOUND,
    (b"FORM", b"AIFC"): Kind.SOUND,
}
_BY_BRAND = {b"M4A ": Kind.SOUND, b"M4B ": Kind.SOUND, b"avif": Kind.TEXTURE, b"heic": Kind.TEXTURE}
_MP3_FRAMES = tuple(bytes((0xFF, second)) for second in (0xFB, 0xFA, 0xF3, 0xF2, 0xF1, 0xF9))
_XML_ROOTS = ((b"<COLLADA", Kind.MODEL), (b"<X3D", Kind.MODEL), (b"<amf", Kind.MODEL), (b"<svg", Kind.TEXTURE))
_ENDINGS: dict[Kind, str] = {
    Kind.MODEL: "obj gltf glb ply stl off dae zae x3d x3dz x3dv x3dvz wrl wrz vrml amf 3mf usd usda usdc usdz fbx abc",
    Kind.SKELETON: "bvh",
    Kind.MATERIAL: "mtl mtlx",
    Kind.TEXTURE: "tga dds png jpg jpeg bmp webp gif tif tiff qoi ktx ktx2 hdr exr avif ppm pgm pbm pnm pcx ico svg",
    Kind.TABLE: "csv tsv sqlite sqlite3 db",
    Kind.PACK: "zip 7z tar",
    Kind.TEXT: (
        "txt md json yaml yml xml ini cfg conf toml log lua py js sh bat vert frag glsl hlsl wgsl po pot srt html css"
    ),
    Kind.SOUND: "wav ogg oga opus flac mp3 aif aiff aifc au snd mid midi m4a aac mod s3m xm it amr caf",
    Kind.FONT: "ttf otf ttc woff woff2 bdf pcf pfb fnt",
    Kind.VIDEO: "mp4 m4v mov webm mkv avi ogv mpg mpeg flv",
}
_BY_ENDING = {ending: kind for kind, endings in _ENDINGS.items() for ending in endings.split()}
# Bytes that text does not hold: control characters other than those that lay it out.
_NOT_TEXT = bytes(set(range(32)) - set(b"\t\n\r\f\x1b")) + b"\x7f"
_LEAST_TEXT = 4
_BY_PURPOSE = {
    "pack": Kind.PACK,
    "model": Kind.MODEL,
    "skeleton": Kind.SKELETON,
    "clips": Kind.CLIPS,
    "material": Kind.MATERIAL,
    "texture": Kind.TEXTURE,
    "level": Kind.LEVEL,
    "data": Kind.TABLE,
}


def ending_of(name: str) -> str:
    """The lower-case ending of a name, without its dot."""
    return name.rsplit(".", 1)[-1].lower() if "." in name.rsplit("/", 1)[-1] else ""


def layouts_for(head: bytes, size: int, name: str, layouts: Sequence[Layout]) -> list[Layout]:
    """The layouts that claim a file by its first bytes, its size and its name.

    By magic (the longest first) or, where none has one, by path, ending or a test of what its first fields say. Several
    are one format in several versions, or formats that look alike.
    """
    paths = [layout for layout in layouts if not layout.match.paths or matches(name, layout.match.paths)]
    by_magic = [(layout.match.fits(head), layout) for layout in paths if layout.match.marks()]
    found = [layout for length, layout in sorted(by_magic, key=lambda one: -one[0]) if length]
    told = [one for one in found if _passes(one, head, size, name)]
    if told:
        return told
    ending = "." + ending_of(name)
    plain = [
        one for one in paths if not one.match.marks() and (not one.match.extensions or ending in one.match.extensions)
    ]
    named = [one for one in plain if one.match.paths or one.match.extensions or one.match.test]
    passed = [one for one in named if _passes(one, head, size, name)]
    return sorted(passed, key=lambda one: one.match.test is None)


def _passes(layout: Layout, head: bytes, size: int, name: str) -> bool:
    return layout.match.test is None or holds(layout.match.test, layout, head, size, name)


def is_tar(head: bytes) -> bool:
    """Whether a POSIX or GNU tar header stands first."""
    return head[_TAR_MARK : _TAR_MARK + 5] == b"ustar"


def kinds_by_ending(layouts: Sequence[Layout]) -> dict[str, Kind]:
    """What a name's ending alone says, layouts before the endings known anyway."""
    own = {e.lstrip("."): _BY_PURPOSE[layout.reads] for layout in reversed(layouts) for e in layout.match.extensions}
    return _BY_ENDING | own


def classify(head: bytes, size: int, name: str, layouts: Sequence[Layout]) -> Kind:
    """The kind by layout, then by the first bytes, then by the name; last, whether the bytes are text.

    `size` is the whole file's, of which `head` are the first bytes.
    """
    described = layouts_for(head, size, name, layouts)
    if described:
        return _BY_PURPOSE[described[0].reads]
    ending = _BY_ENDING.get(ending_of(name))
    if ending is Kind.MODEL and head.startswith((b"PK", b"\x1f\x8b")):
        return Kind.MODEL  # a package of one model, or one packed
    found = _by_content(head) or ending
    if found is not None:
        return found
    return Kind.TEXT if looks_like_text(head) else Kind.UNKNOWN


def _by_content(head: bytes) -> Kind | None:
    form = _BY_FORM.get((head[:4], head[8:12]))
    if form is not None:
        return form
    if head[4:8] == b"ftyp":
        return _BY_BRAND.get(head[8:12], Kind.VIDEO)
    if head.startswith(b"OggS"):
        return Kind.VIDEO if b"\x80theora" in head else Kind.SOUND
    for magic, kind in _BY_MAGIC:
        if head.startswith(magic):
            return kind
    if is_tar(head):
        return Kind.PACK
    if head.startswith(_MP3_FRAMES) and len(head) > 4 and head[2] >> 4 not in {0, 15} and not looks_like_text(head):
        return Kind.SOUND
    start = head.lstrip(b"\xef\xbb\xbf \t\r\n")
    if start.startswith((b"<?xml", b"<")):
        return next((kind for root, kind in _XML_ROOTS if root in head), None)
    return Kind.MODEL if begins_as_gltf(head) or begins_as_obj(head) else None


def looks_like_text(head: bytes) -> bool:
    """Whether first bytes are text.

    UTF-8 (a character cut at the end allowed), UTF-16 with its mark, or mostly ASCII.
    """
    if len(head) < _LEAST_TEXT:
        return False
    if head.startswith((b"\xff\xfe", b"\xfe\xff")):
        return b"\x00\x00\x00" not in head
    if head.translate(None, _NOT_TEXT) != head:
        return False
    try:
        # Not its end: a character that the first bytes cut in two is no mistake.
        getincrementaldecoder("utf-8")().decode(head)
    except UnicodeDecodeError:
        plain = sum(32 <= byte < 127 or byte in b"\t\n\r" for byte in head)
        return plain >= 0.85 * len(head)
    return True

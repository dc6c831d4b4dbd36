"""Materials of FBX → ours: their numbers, and textures by the property that they hang on."""

from __future__ import annotations

import base64
import re

from pruxel.core.formats.fbx.objects import Objects, Thing
from pruxel.core.formats.fbx.read_looks import material_of
from pruxel.core.formats.loose_materials import LooseMaterial, Pair, beside
from pruxel.core.formats.registry import Find

_SLOTS = {
    "diffusecolor": "base_color",
    "normalmap": "normal",
    "bump": "normal",
    "emissivecolor": "emissive",
    "transparencyfactor": "opacity",
    "transparentcolor": "opacity",
    "shininessexponent": "roughness",
    "reflectionfactor": "metallic",
}
# Words of physically based materials, by what they begin with once "use", "tex" and "map" are taken off.
_WORDS = (
    (("basecolor", "color", "diffuse", "albedo"), "base_color"),
    (("norm", "bump"), "normal"),
    (("emissive", "emission", "emit"), "emissive"),
    (("roughness", "specularroughness"), "roughness"),
    (("gloss",), "glossiness"),
    (("ao", "occlusion", "ambientocclusion"), "occlusion"),
    (("metallic", "metalness", "metal"), "metallic"),
    (("opacity", "cutout"), "opacity"),
)
_AROUND = re.compile(r"^(?:tex_|use_)|_?(?:map|tex)$|[_ ]")


def slot_of(property_name: str) -> str | None:
    """The purpose of a texture that hangs on a property."""
    plain = property_name.lower()
    if plain in _SLOTS:
        return _SLOTS[plain]
    if "|" not in plain:
        return None
    word = _AROUND.sub("", _AROUND.sub("", plain.rpartition("|")[2]))
    return next((slot for words, slot in _WORDS if word.startswith(words)), None)


def loose_material(objects: Objects, thing: Thing, uv_sets: list[str], passed: list[str]) -> LooseMaterial:
    """A material with the names of its textures; `uv_sets` are the names of UV sets in their order.

    Textures on properties that have no place are told in `passed`.
    """
    textures: dict[str, str] = {}
    moves: dict[str, tuple[Pair, Pair]] = {}
    sets: dict[str, int] = {}
    instead = set[str]()  # a map of a physically based material stands for its number
    for key, slot_name in objects.below.get(thing.key, ()):
        texture = _texture(objects, objects.things.get(key))
        if texture is None:
            continue
        slot = slot_of(slot_name)
        if slot is None or slot in textures:
            passed.append(slot_name)
            continue
        textures[slot] = link_of(objects, texture)
        if "|" in slot_name:
            instead.add(slot)
        scale, offset = texture.numbers("Scaling", (1.0, 1.0)), texture.numbers("Translation", (0.0, 0.0))
        if (scale, offset) != ((1.0, 1.0), (0.0, 0.0)) and min(map(abs, scale)) > 1e-6:
            moves[slot] = ((scale[0], scale[1]), (offset[0], offset[1]))
        name = texture.text("UVSet")
        if name in uv_sets and uv_sets.index(name):
            sets[slot] = uv_sets.index(name)
    return LooseMaterial(material_of(thing), textures, moves, sets, frozenset(instead))


def _texture(objects: Objects, thing: Thing | None) -> Thing | None:
    """The texture itself; of one in layers, the first."""
    if thing is None:
        return None
    if thing.kind == "LayeredTexture":
        return next(objects.under(thing, "Texture"), None)
    return thing if thing.kind == "Texture" else None


def link_of(objects: Objects, texture: Thing) -> str:
    """The name of a texture's file: as the file's picture has it, else as the texture says."""
    video = next(objects.under(texture, "Video"), None)
    names = [
        thing.text(word) for thing in (texture, video) if thing for word in ("RelativeFilename", "FileName", "Filename")
    ]
    return next((name for name in names if name.strip("\x00 ")), texture.name)


def finder(objects: Objects, find: Find) -> Find:
    """Finds a picture in the document itself, else beside it: by its whole name, in `textures`, by its last name."""
    inside: dict[str, bytes] = {}
    for video in objects.all("Video"):
        content = video.element.first("Content")
        data = _content(content.properties) if content is not None else b""
        if data:
            for word in ("RelativeFilename", "Filename", "FileName"):
                inside.setdefault(_last(video.text(word)), data)
            for texture, _ in objects.over(video, "Texture"):
                inside.setdefault(_last(link_of(objects, texture)), data)

    def found(name: str) -> bytes | None:
        last = _last(name)
        if last and last in inside:
            return inside[last]
        return beside(find, name)

    return found


def _last(name: str) -> str:
    return name.replace("\\", "/").rstrip("/").rpartition("/")[2].strip("\x00 ")


def _content(properties: object) -> bytes:
    """Embedded bytes: as they are, or in base 64, maybe in pieces."""
    assert isinstance(properties, list | tuple)
    whole = next((p for p in properties if isinstance(p, bytes) and p), None)
    if whole is not None:
        return whole
    try:
        return b"".join(base64.b64decode(p, validate=False) for p in properties if isinstance(p, str) and p)
    except ValueError:
        return b""

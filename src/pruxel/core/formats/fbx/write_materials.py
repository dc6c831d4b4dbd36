"""Materials as FBX has them, with the properties that common programs read.

The format knows colours, a shine and a mirror. Roughness r stands as the shininess 100 (1 - r)^2 and metal as the
mirror's strength, which is how several programs write and read them; both stand as plain numbers of their own beside
that. Colours are those of the scene, linear.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import ByteArray
from pruxel.core.base.context import Context
from pruxel.core.disk.names import unique_name
from pruxel.core.formats.fbx.document import Document, color, number, prop, table
from pruxel.core.formats.fbx.elements import Int64
from pruxel.core.formats.fbx.write_meshes import UV_NAMES
from pruxel.core.formats.registry import OutFile
from pruxel.core.formats.textures import ImageFile, image_files
from pruxel.core.images import png
from pruxel.core.scene.materials import Material, TextureRef
from pruxel.core.scene.model import Scene
from pruxel.core.scene.render_images import texels

_WRAPS = {"repeat": 0, "mirror": 0, "clamp": 1}


@dataclass(frozen=True)
class Slot:
    """A texture of a material: what the format calls its place, which of ours it is, the one channel that it takes."""

    property: str
    field: str
    channel: int | None = None
    word: str = ""


SLOTS = (
    Slot("DiffuseColor", "base_color_texture"),
    Slot("NormalMap", "normal_texture"),
    Slot("EmissiveColor", "emissive_texture"),
    Slot("ShininessExponent", "metallic_roughness_texture", 1, "roughness"),
    Slot("ReflectionFactor", "metallic_roughness_texture", 2, "metallic"),
    Slot("TransparencyFactor", "base_color_texture", 3, "opacity"),
)


def slots_of(material: Material) -> list[tuple[Slot, TextureRef]]:
    """The textures that are written of a material."""
    found = [(slot, ref) for slot in SLOTS if (ref := getattr(material, slot.field)) is not None]
    return [(s, r) for s, r in found if s.property != "TransparencyFactor" or material.alpha_mode != "OPAQUE"]


def write_materials(
    document: Document, scene: Scene, textures: str, context: Context
) -> tuple[list[Int64], list[OutFile]]:
    """All materials with their textures, 'linked', 'embedded' or 'none'.

    Returns the objects of the materials in their order, and the files beside.
    """
    idents = [_material(document, material) for material in scene.materials]
    files = list[OutFile]()
    if textures != "none" and scene.images:
        pictures = _Pictures(document, scene, context, embedded=textures == "embedded")
        for material, ident in zip(scene.materials, idents, strict=True):
            for slot, ref in slots_of(material):
                document.join(pictures.texture(slot, ref), ident, slot.property)
        files = pictures.files()
    return idents, files


def _material(document: Document, material: Material) -> Int64:
    ident, made = document.add("Material", material.name, "")
    made.add("Version", 102)
    made.add("ShadingModel", "phong")
    made.add("MultiLayer", 0)
    shine, opacity = 100 * (1 - material.roughness) ** 2, material.base_color[3]
    rgb, glow = material.base_color[:3], material.emissive
    dark = (0.0, 0.0, 0.0)
    made.children.append(
        table(
            prop("ShadingModel", "KString", "", "", "phong"),
            color("DiffuseColor", rgb),
            number("DiffuseFactor", 1),
            color("AmbientColor", dark),
            color("EmissiveColor", glow),
            number("EmissiveFactor", material.emissive_strength),
            color("SpecularColor", (0.5, 0.5, 0.5)),
            number("SpecularFactor", 0.25),
            number("Shininess", shine),
            number("ShininessExponent", shine),
            color("ReflectionColor", rgb),
            number("ReflectionFactor", material.metallic),
            color("TransparentColor", (1.0, 1.0, 1.0)),
            number("TransparencyFactor", 1 - opacity),
            number("Opacity", opacity),
            number("BumpFactor", material.normal_scale),
            number("Roughness", material.roughness, "A+U"),
            number("Metallic", material.metallic, "A+U"),
            prop("DoubleSided", "bool", "", "U", int(material.double_sided)),
        )
    )
    return ident


class _Pictures:
    """Images and the single channels of images that materials ask for, each written once."""

    def __init__(self, document: Document, scene: Scene, context: Context, *, embedded: bool) -> None:
        self.document, self.scene, self.embedded = document, scene, embedded
        self.images: Sequence[ImageFile] = image_files(scene.images, context)
        self.taken = {file.name.lower() for file in self.images}
        self.videos: dict[tuple[int, int | None], tuple[Int64, ImageFile]] = {}
        self.textures: dict[tuple[Slot, TextureRef], Int64] = {}

    def files(self) -> list[OutFile]:
        """What stands beside the document."""
        if self.embedded:
            return []
        made = sorted((file for _, file in self.videos.values()), key=lambda file: file.name)
        return [OutFile(f"textures/{file.name}", (file.data,)) for file in made]

    def texture(self, slot: Slot, ref: TextureRef) -> Int64:
        """The texture object of a slot: how an image lies on the UVs."""
        if (slot, ref) in self.textures:
            return self.textures[(slot, ref)]
        source = self.scene.textures[ref.texture]
        video, file = self._video(source.image, slot)
        ident, made = self.document.add("Texture", file.name.rsplit(".", 1)[0], "")
        made.add("Type", "TextureVideoClip")
        made.add("Version", 202)
        made.add("TextureName", f"{file.name.rsplit('.', 1)[0]}\x00\x01Texture")
        made.add("Media", f"{file.name}\x00\x01Video")
        made.add("FileName", f"textures/{file.name}")
        made.add("RelativeFilename", f"textures/{file.name}")
        made.add("ModelUVTranslation", 0.0, 0.0)
        made.add("ModelUVScaling", 1.0, 1.0)
        made.add("Texture_Alpha_Source", "None")
        made.add("Cropping", 0, 0, 0, 0)
        # V runs up in the file: what moves textures down moves UVs up.
        shift = (ref.offset[0], 1 - ref.offset[1] - ref.scale[1])
        made.children.append(
            table(
                prop("UVSet", "KString", "", "", UV_NAMES[min(ref.uv_set, len(UV_NAMES) - 1)]),
                prop("UseMaterial", "bool", "", "", 1),
                prop("WrapModeU", "enum", "", "", _WRAPS[source.sampler.wrap_u]),
                prop("WrapModeV", "enum", "", "", _WRAPS[source.sampler.wrap_v]),
                prop("Translation", "Vector", "", "A", *shift, 0.0),
                prop("Rotation", "Vector", "", "A", 0.0, 0.0, float(np.degrees(ref.rotation_rad))),
                prop("Scaling", "Vector", "", "A", *ref.scale, 1.0),
            )
        )
        self.document.join(video, ident)
        self.textures[(slot, ref)] = ident
        return ident

    def _video(self, image: int, slot: Slot) -> tuple[Int64, ImageFile]:
        key = (image, slot.channel)
        if key not in self.videos:
            file = self.images[image] if slot.channel is None else self._channel(image, slot.channel, slot.word)
            ident, made = self.document.add("Video", file.name, "Clip")
            made.add("Type", "Clip")
            made.children.append(table(prop("Path", "KString", "XRefUrl", "", f"textures/{file.name}")))
            made.add("UseMipMap", 0)
            made.add("Filename", f"textures/{file.name}")
            made.add("RelativeFilename", f"textures/{file.name}")
            if self.embedded:
                made.add("Content", file.data)
            self.videos[key] = ident, file
        return self.videos[key]

    def _channel(self, image: int, channel: int, word: str) -> ImageFile:
        plane: ByteArray = np.ascontiguousarray(texels(self.scene.images[image])[..., channel : channel + 1])
        stem = self.images[image].name.rsplit(".", 1)[0]
        return ImageFile(unique_name(f"{stem}_{word}.png", self.taken), "image/png", png.encode(plane))

"""Put materials and their images into a scene in place of the bare names."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from pruxel.core.scene.images import Image
from pruxel.core.scene.materials import Material, Texture, TextureRef
from pruxel.core.scene.model import Scene


def assign_materials(scene: Scene, found: Mapping[int, tuple[Material, Mapping[str, Image]]]) -> Scene:
    """Replace materials by index; each with images by slot (`base_color_texture`, …). Equal images are stored once."""
    images, textures = list(scene.images), list(scene.textures)
    texture_of_image: dict[Image, int] = {}
    materials = list(scene.materials)
    for index, (material, by_slot) in found.items():
        slots: dict[str, TextureRef] = {}
        for slot, image in by_slot.items():
            if image not in texture_of_image:
                images.append(image)
                textures.append(Texture(len(images) - 1))
                texture_of_image[image] = len(textures) - 1
            slots[slot] = TextureRef(texture_of_image[image])
        materials[index] = replace(material, **slots)  # type: ignore[arg-type]
    return replace(scene, materials=tuple(materials), images=tuple(images), textures=tuple(textures))

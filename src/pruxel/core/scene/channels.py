"""Maps put together from channels of others, and put into slots of materials."""

from __future__ import annotations

from dataclasses import replace

from pruxel.core.scene.images import Channel, ChannelPick, EncodedImage, Image
from pruxel.core.scene.materials import Material, Sampler, Texture, TextureRef
from pruxel.core.scene.model import Scene

_ORDER: tuple[Channel, ...] = ("r", "g", "b", "a")
_PLAIN = Sampler()
# The maps of a material by what they are called to people.
SLOTS = {
    "base colour": "base_color_texture",
    "metal and roughness": "metallic_roughness_texture",
    "normals": "normal_texture",
    "occlusion": "occlusion_texture",
    "light": "emissive_texture",
}


def channel_of(image: Image, channel: Channel, *, inverted: bool) -> ChannelPick | float:
    """A channel of an image, looked up through mixes to what they are mixed from; a constant where it is one."""
    if isinstance(image.content, EncodedImage):
        return ChannelPick(image.content, channel, inverted)
    found = image.content.picks()[_ORDER.index(channel)]
    if isinstance(found, ChannelPick):
        return replace(found, inverted=found.inverted != inverted)
    return 1.0 - found if inverted else found


def with_image(scene: Scene, image: Image, sampler: Sampler = _PLAIN) -> tuple[Scene, int]:
    """The scene with one more image and a texture of it, and the texture's number."""
    textures = (*scene.textures, Texture(len(scene.images), sampler))
    return replace(scene, images=(*scene.images, image), textures=textures), len(textures) - 1


def with_map(material: Material, slot: str, texture: int) -> Material:
    """The material with a texture in a slot, read as what was there before."""
    before = getattr(material, slot)
    ref = TextureRef(texture) if before is None else replace(before, texture=texture)
    return replace(material, **{slot: ref})  # type: ignore[arg-type] # slots hold references

"""The images of a scene written anew: in another encoding, no larger than asked, or left out."""

from __future__ import annotations

from collections.abc import Collection
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import numpy as np

from pruxel.core.base.arrays import AnyArray, as_floats
from pruxel.core.base.context import Context
from pruxel.core.geometry.colors import linear_from_srgb
from pruxel.core.images.encode import ENDINGS, Encoding, encode, within
from pruxel.core.images.sampled import texels_at
from pruxel.core.scene.edit import without
from pruxel.core.scene.images import EncodedImage, Image
from pruxel.core.scene.model import Primitive, Scene
from pruxel.core.scene.render_images import texels
from pruxel.core.scene.uvs import shown_uvs


def repictured(
    scene: Scene,
    encoding: Encoding | None,
    largest: int | None,
    carried: Collection[str],
    told: list[str],
    context: Context,
) -> Scene:
    """Images as files of an encoding (None: as they are), no side longer than `largest`.

    A media type that is not `carried` becomes PNG, which is told.
    """
    if encoding is None and largest is None:
        return scene
    with ThreadPoolExecutor(2) as pool:
        waiting = [pool.submit(_made, image, encoding, largest, carried) for image in scene.images]
        images = []
        for number, (image, item) in enumerate(zip(scene.images, waiting, strict=True)):
            context.progress(number / len(waiting), f"texture {image.name}")
            images.append(replace(image, content=item.result()))
    instead = [image.name for image in images if encoding is not None and not _as_asked(image, encoding)]
    if instead:
        words = ", ".join(instead[:3]) + (f" and {len(instead) - 3:,} more" if len(instead) > 3 else "")
        told.append(f"written as PNG, not {encoding}, which the format does not link or which has no alpha: {words}")
    return replace(scene, images=tuple(images))


def _as_asked(image: Image, encoding: Encoding) -> bool:
    content = image.content
    return isinstance(content, EncodedImage) and (content.media_type != "image/png" or encoding == "png")


def _made(image: Image, encoding: Encoding | None, largest: int | None, carried: Collection[str]) -> EncodedImage:
    content, pixels = image.content, texels(image)
    fits = pixels if largest is None else within(pixels, largest)
    if encoding is None and fits is pixels and isinstance(content, EncodedImage) and content.media_type in ENDINGS:
        return content
    if encoding is None:
        jpeg = isinstance(content, EncodedImage) and content.media_type == "image/jpeg"
        encoding = "jpeg" if jpeg else "png"
    media, data = encode(fits, encoding)
    if media not in carried:
        media, data = encode(fits, "png")
    return EncodedImage(data, media)


def unpictured(scene: Scene) -> Scene:
    """The scene without images."""
    return without(scene, "images", range(len(scene.images)))


def with_colors_in_vertices(scene: Scene) -> Scene:
    """The scene without images, the colours of its textures, times what they had, in its vertices.

    What a texture shows between vertices is lost: fine for dense surfaces, as printers take them.
    """
    shown: dict[int, AnyArray] = {}

    def colored(primitive: Primitive) -> Primitive:
        material = None if primitive.material is None else scene.materials[primitive.material]
        ref = None if material is None else material.base_color_texture
        uvs = shown_uvs(primitive, scene.materials)
        if ref is None or uvs is None:
            return primitive
        image = scene.textures[ref.texture].image
        if image not in shown:
            shown[image] = texels(scene.images[image])
        found = texels_at(shown[image], uvs)
        linear = np.concatenate([linear_from_srgb(found[:, :3]), found[:, 3:]], axis=1)
        own = primitive.colors[0] if primitive.colors else np.float32(1)
        return replace(primitive, colors=(as_floats(linear * own, 4), *primitive.colors[1:]))

    meshes = tuple(replace(mesh, primitives=tuple(map(colored, mesh.primitives))) for mesh in scene.meshes)
    return unpictured(replace(scene, meshes=meshes))

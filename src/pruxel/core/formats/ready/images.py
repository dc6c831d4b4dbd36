"""Images as the files that are delivered."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.formats.textures import KEPT
from pruxel.core.images import png
from pruxel.core.scene.images import EncodedImage, Image
from pruxel.core.scene.missing import without_images
from pruxel.core.scene.model import Scene
from pruxel.core.scene.render_images import texels


def with_written_images(scene: Scene, told: list[str], context: Context) -> Scene:
    """PNG and JPEG stay as they are, everything else becomes PNG. One that does not decode is left out and told."""
    with ThreadPoolExecutor(2) as pool:
        waiting = [pool.submit(_written, image) for image in scene.images]
        images: list[Image] = []
        broken: dict[int, str] = {}
        for number, (image, item) in enumerate(zip(scene.images, waiting, strict=True)):
            context.progress(number / len(waiting), f"texture {image.name}")
            try:
                images.append(replace(image, content=item.result()))
            except InputError as error:
                images.append(image)
                broken[number] = error.fault.line()
                told.append(f"the texture '{image.name}' is left out: {error.fault.line()}")
    return without_images(replace(scene, images=tuple(images)), broken)


def _written(image: Image) -> EncodedImage:
    """The file's bytes; raises `InputError` when the image does not decode, so that no broken file is passed on."""
    content, pixels = image.content, texels(image)
    if isinstance(content, EncodedImage) and content.media_type in KEPT:
        return content
    return EncodedImage(png.encode(pixels), "image/png")

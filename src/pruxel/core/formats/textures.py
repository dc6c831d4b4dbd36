"""Images of a scene as files for a delivery: what every program reads as it is, everything else as PNG."""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

from pruxel.core.base.context import Context
from pruxel.core.disk.names import safe_part, unique_name
from pruxel.core.images import png
from pruxel.core.images.encode import ENDINGS
from pruxel.core.scene.images import EncodedImage, Image
from pruxel.core.scene.render_images import texels

# What stays as it came. Other endings are written only where somebody asks for them.
KEPT = {"image/png": ".png", "image/jpeg": ".jpg"}


@dataclass(frozen=True)
class ImageFile:
    """One image ready to be written."""

    name: str
    media_type: str
    data: bytes


def image_files(images: Sequence[Image], context: Context) -> list[ImageFile]:
    """Encode all images, several at once; names are safe and unique. Raises `InputError` for undecodable bytes."""
    taken: set[str] = set()
    names = [unique_name(link_name(image.name) + _ending(image), taken) for image in images]
    with ThreadPoolExecutor(2) as pool:
        waiting = [pool.submit(_encoded, image) for image in images]
        files = []
        for number, (name, item) in enumerate(zip(names, waiting, strict=True)):
            context.progress(number / len(images), f"texture {name}")
            media, data = item.result()
            files.append(ImageFile(name, media, data))
    return files


def link_name(name: str) -> str:
    """A file name that every program's links take: no spaces, and no folders."""
    return safe_part(name.replace("/", "_").replace("\\", "_")).replace(" ", "_")


def _ending(image: Image) -> str:
    content = image.content
    return ENDINGS.get(content.media_type, ".png") if isinstance(content, EncodedImage) else ".png"


def _encoded(image: Image) -> tuple[str, bytes]:
    content = image.content
    if isinstance(content, EncodedImage) and content.media_type in ENDINGS:
        return content.media_type, content.data
    return "image/png", png.encode(texels(image))

"""What steps that change pictures share: those of chosen textures, or those that materials wear in a slot."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

from pruxel.core.base.arrays import ByteArray
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.images import png
from pruxel.core.scene.images import EncodedImage, Image
from pruxel.core.scene.model import Scene
from pruxel.core.scene.render_images import texels
from pruxel.core.steps.references import Reference
from pruxel.core.steps.registry import Others


def repainted(
    scene: Scene, names: Sequence[str], change: Callable[[ByteArray], ByteArray], context: Context
) -> tuple[Scene, int]:
    """The scene with the pictures of these names changed, all where none is named, and how many.

    `change` takes and gives (height, width, 4) uint8. Raises `UsageError` for a name that is not there.
    """
    for name in names:
        image_named(scene, name)
    images, changed = [], 0
    for image, part in context.each(scene.images, lambda one: one.name):
        part.check()
        if names and image.name not in names:
            images.append(image)
            continue
        images.append(painted(image, change(texels(image))))
        changed += 1
    return replace(scene, images=tuple(images)), changed


def image_named(scene: Scene, name: str) -> Image:
    """The image of that name; raises `UsageError` when it is not there."""
    for image in scene.images:
        if image.name == name:
            return image
    raise UsageError(
        ErrorCode.USAGE, f"there is no texture called '{name}'",
        expected=f"one of {', '.join(i.name for i in scene.images[:12])}" if scene.images else "a textured model",
        found=name,
    )  # fmt: skip


def picture_of(scene: Scene, name: str, entry: str, others: Others) -> ByteArray:
    """Texels (height, width, 4) uint8 of a texture of the sources, or, where none is named, of the model's own.

    Raises `UsageError` for one that is not there, or is no picture.
    """
    if not entry:
        return texels(image_named(scene, name))
    images = others[Reference("entry", entry)].images
    if not images:
        raise UsageError(
            ErrorCode.USAGE, f"'{entry}' holds no picture", expected="path of a texture", found="no picture"
        )
    return texels(images[0])


def painted(image: Image, rgba: ByteArray) -> Image:
    """The image with other texels, (height, width, 4) uint8."""
    return replace(image, content=_encoded(rgba))


def drawn(name: str, rgba: ByteArray) -> Image:
    """A new image of these texels, (height, width, 4) uint8."""
    return Image(name, _encoded(rgba))


def _encoded(rgba: ByteArray) -> EncodedImage:
    return EncodedImage(png.encode(rgba), "image/png")

"""Make textures smaller, and their sides powers of two."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from pydantic import Field

from pruxel.core.base.arrays import ByteArray
from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.images import png
from pruxel.core.images.encode import resized, within
from pruxel.core.scene.images import EncodedImage, Image
from pruxel.core.scene.model import Scene
from pruxel.core.scene.render_images import texels
from pruxel.core.steps.references import TextureName
from pruxel.core.steps.registry import Params, StepResult, step


class ResizeTextures(Params):
    """To what size."""

    textures: tuple[TextureName, ...] = Field((), title="Textures", description="their names; none means all")
    largest: int = Field(
        2048, ge=1, le=16_384, title="Largest side", description="what is larger is made smaller, in proportion",
        json_schema_extra={"unit": "px"},
    )  # fmt: skip
    sides: Literal["as they are", "power of two"] = Field(
        "as they are", title="Sides", description="as they come out, or the next lower power of two"
    )


@step(
    "resize_textures",
    "Resize textures",
    "Makes textures no larger than a side, and their sides powers of two where engines ask for it.",
    ResizeTextures,
)
def resize_textures(scene: Scene, params: ResizeTextures, context: Context) -> StepResult:
    """Resize the chosen images; those that fit stay as they are, byte by byte."""
    made, before, after, changed = [], 0, 0, 0
    for image, part in context.each(scene.images, lambda one: one.name):
        part.check()
        if params.textures and image.name not in params.textures:
            made.append(image)
            continue
        was = texels(image)
        now = _fitting(was, params)
        before, after = before + was.shape[0] * was.shape[1], after + now.shape[0] * now.shape[1]
        changed += now is not was
        made.append(image if now is was else Image(image.name, EncodedImage(png.encode(now), "image/png")))
    sizes = (Evidence("texels before", before), Evidence("texels after", after))
    return StepResult(
        replace(scene, images=tuple(made)), f"{changed:,} of {len(scene.images):,} textures made smaller",
        (Evidence("textures made smaller", changed), *sizes),
    )  # fmt: skip


def _fitting(rgba: ByteArray, params: ResizeTextures) -> ByteArray:
    """(height, width, 4) at the size asked for; itself where it has it."""
    found = within(rgba, params.largest)
    if params.sides == "power of two":
        height, width = (1 << (side.bit_length() - 1) for side in found.shape[:2])
        if (height, width) != found.shape[:2]:
            found = resized(found, width, height)
    return found

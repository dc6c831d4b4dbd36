"""Bake layers: a texture laid over another, by a mask or its own alpha, becomes one with it."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from pruxel.core.base.arrays import ByteArray, frozen
from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.images.encode import resized
from pruxel.core.images.layers import Blend, layered
from pruxel.core.scene.model import Scene
from pruxel.core.scene.render_images import texels
from pruxel.core.steps.references import Share, TextureEntry, TextureName
from pruxel.core.steps.registry import Others, Params, StepResult, joining_step
from pruxel.core.steps.repaint import image_named, picture_of, repainted


class BakeLayers(Params):
    """What lies over what, how, and where."""

    lower: TextureName = Field("", title="Texture", description="the one that is changed")
    upper: TextureName = Field("", title="Layer", description="what is laid over it")
    entry: TextureEntry = Field("", title="Layer of the sources", description="path of one that is not worn")
    blend: Blend = Field("over", title="How", description="what becomes of both; normals are added as slopes")
    strength: Share = Field(100.0, title="Strength", description="how much of the layer is seen")
    mask: TextureName = Field("", title="Mask", description="says where it is seen; empty: the layer's own alpha")
    channel: Literal["r", "g", "b", "a"] = Field("r", title="Channel", description="of the mask")
    inverted: bool = Field(default=False, title="Inverted", description="seen where the mask is dark")
    across: int = Field(1, ge=1, le=64, title="Repeated", description="times across and down: detail that tiles")


@joining_step(
    "bake_layers",
    "Bake layers",
    "Makes two textures one: a layer over, multiplied, added, screened or overlaid, by a mask; normals too.",
    BakeLayers,
)
def bake_layers(scene: Scene, params: BakeLayers, context: Context, others: Others) -> StepResult:
    """Repaint one texture with another laid over it, at the finer size of both."""
    context.check()
    if not params.lower or not (params.upper or params.entry):
        return StepResult(scene, "two textures are needed", (Evidence("textures changed", 0),))
    upper = picture_of(scene, params.upper, params.entry, others)
    mask = texels(image_named(scene, params.mask))[..., "rgba".index(params.channel)] if params.mask else None

    def change(lower: ByteArray) -> ByteArray:
        height = max(lower.shape[0], 1 if params.across > 1 else upper.shape[0])
        width = max(lower.shape[1], 1 if params.across > 1 else upper.shape[1])
        over = _repeated(upper, params.across, width, height)
        where = over[..., 3] if mask is None else _plane(mask, width, height)
        share = where.astype(np.float32) / 255
        share = (1 - share if params.inverted else share) * np.float32(params.strength / 100)
        return layered(resized(lower, width, height), over, share, params.blend)

    made, count = repainted(scene, (params.lower,), change, context)
    return StepResult(
        made, f"“{params.entry or params.upper}” baked into “{params.lower}”", (Evidence("textures changed", count),)
    )


def _repeated(rgba: ByteArray, across: int, width: int, height: int) -> ByteArray:
    """The picture so many times across and down, at this size."""
    if across == 1:
        return resized(rgba, width, height)
    tile = resized(rgba, max(width // across, 1), max(height // across, 1))
    rows, columns = (
        np.arange(height) * across * tile.shape[0] // height,
        np.arange(width) * across * tile.shape[1] // width,
    )
    return frozen(tile[(rows % tile.shape[0])[:, None], (columns % tile.shape[1])[None, :]])


def _plane(mask: ByteArray, width: int, height: int) -> ByteArray:
    return resized(np.repeat(mask[..., None], 4, axis=2), width, height)[..., 0]

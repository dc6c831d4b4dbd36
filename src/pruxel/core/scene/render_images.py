"""Turn a scene's images into texels, evaluating channel mixes; results are kept for reuse."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from pruxel.core.base.arrays import ByteArray, frozen
from pruxel.core.images.decode import decode_image
from pruxel.core.scene.images import ChannelMix, ChannelPick, EncodedImage, Image


@lru_cache(maxsize=24)
def _decoded(image: EncodedImage, name: str) -> ByteArray:
    suffix = {"image/x-tga": ".tga", "image/bmp": ".bmp"}.get(image.media_type, "")
    return frozen(decode_image(image.data, name + suffix).rgba)


def texels(image: Image) -> ByteArray:
    """Decode to (height, width, 4) uint8, read-only; raises `InputError` when the bytes do not decode."""
    if isinstance(image.content, EncodedImage):
        return _decoded(image.content, image.name)
    return _mixed(image.content, image.name)


@lru_cache(maxsize=24)
def _mixed(mix: ChannelMix, name: str) -> ByteArray:
    sources = {pick.image: _decoded(pick.image, name) for pick in mix.picks() if isinstance(pick, ChannelPick)}
    height = max((a.shape[0] for a in sources.values()), default=1)
    width = max((a.shape[1] for a in sources.values()), default=1)
    out = np.empty((height, width, 4), np.uint8)
    for channel, pick in enumerate(mix.picks()):
        if isinstance(pick, ChannelPick):
            plane = _fit(sources[pick.image][..., "rgba".index(pick.channel)], height, width)
            out[..., channel] = 255 - plane if pick.inverted else plane
        else:
            out[..., channel] = round(pick * 255)
    return frozen(out)


def _fit(plane: ByteArray, height: int, width: int) -> ByteArray:
    """Repeat texels of a smaller plane to the mix's size (nearest; sizes are powers of two in practice)."""
    if plane.shape == (height, width):
        return plane
    rows = np.arange(height) * plane.shape[0] // height
    columns = np.arange(width) * plane.shape[1] // width
    return plane[rows[:, None], columns[None, :]]

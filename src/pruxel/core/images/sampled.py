"""Texels between texels."""

from __future__ import annotations

import numba
import numpy as np

from pruxel.core.base.arrays import AnyArray, FloatArray


def texels_at(texels: AnyArray, uv: FloatArray) -> FloatArray:
    """(n, c) float32 from 0 to 1: the texels (h, w, c) uint8 at places (n, 2), bilinear, repeating, origin top left."""
    found = np.empty((len(uv), texels.shape[2]), np.float32)
    _between(np.ascontiguousarray(texels), np.ascontiguousarray(uv, np.float32), found)
    return found


@numba.njit(cache=True, nogil=True)
def _between(texels, uv, found):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    height, width, channels = texels.shape
    for n in range(len(uv)):
        x, y = np.float64(uv[n, 0]) * width - 0.5, np.float64(uv[n, 1]) * height - 0.5
        x0, y0 = np.floor(x), np.floor(y)
        fx, fy = x - x0, y - y0
        left, top = np.int64(x0) % width, np.int64(y0) % height
        right, low = (left + 1) % width, (top + 1) % height
        for c in range(channels):
            upper = texels[top, left, c] * (1 - fx) + texels[top, right, c] * fx
            lower = texels[low, left, c] * (1 - fx) + texels[low, right, c] * fx
            found[n, c] = (upper * (1 - fy) + lower * fy) / 255.0

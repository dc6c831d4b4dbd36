"""What a normal map says of itself: whether its green points up the texture, as glTF 2.0 has it, or down."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import ByteArray

_MOST_TEXELS = 1024  # a side: the rest of a map is like it
_FLATTEST = 0.05  # what the normal has at least of the way out of the surface


@dataclass(frozen=True)
class Slopes:
    """How little the slopes of a map fit together, (mean squared curl), read as they are and with the green turned.

    `rough` is the mean squared slope: where it is small, nothing can be told.
    """

    as_is: float
    turned: float
    rough: float


def slopes(rgba: ByteArray) -> Slopes:
    """Measure a tangent-space normal map (height, width, 4).

    Normals of a surface of heights h are (-h_x, -h_y, 1): going round any texel the slopes sum up to nothing, as h_xy
    is h_yx. With the green the other way they do not. (B. K. P. Horn and M. J. Brooks, The variational approach to
    shape from shading, 1986: integrability.)
    """
    part = rgba[:_MOST_TEXELS, :_MOST_TEXELS, :2].astype(np.float32) / 127.5 - 1
    if min(part.shape[:2]) < 2:
        return Slopes(0.0, 0.0, 0.0)
    # Blue is worked out: many maps leave it to be.
    out = np.sqrt(np.maximum(1 - (part**2).sum(axis=2), _FLATTEST**2))
    right, up = -part[..., 0] / out, -part[..., 1] / out
    # Rows run down: the slope upwards changes from one texel to the one at its right, that to the right upwards.
    up_across = up[:-1, 1:] - up[:-1, :-1]
    right_upwards = right[:-1, :-1] - right[1:, :-1]
    return Slopes(
        float(np.mean((up_across - right_upwards) ** 2)),
        float(np.mean((up_across + right_upwards) ** 2)),
        float(np.mean(right**2 + up**2)),
    )

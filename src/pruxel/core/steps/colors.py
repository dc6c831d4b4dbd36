"""Colours as parameters write them."""

from __future__ import annotations

import numpy as np

from pruxel.core.geometry.colors import linear_from_srgb
from pruxel.core.images.layers import Rgb


def rgb_of(color: str) -> Rgb:
    """`#rrggbb` as display values, 0 to 1."""
    red, green, blue = (int(color[at : at + 2], 16) / 255 for at in (1, 3, 5))
    return red, green, blue


def linear_of(color: str) -> Rgb:
    """`#rrggbb`, sRGB, as linear numbers from 0 to 1."""
    red, green, blue = linear_from_srgb(np.array(rgb_of(color))).tolist()
    return red, green, blue

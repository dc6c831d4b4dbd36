"""Linear light and display values. Source: IEC 61966-2-1 (sRGB)."""

from __future__ import annotations

import numpy as np

from pruxel.core.base.arrays import AnyArray, FloatArray


def linear_from_srgb(values: AnyArray) -> FloatArray:
    """Display values 0 to 1 to linear light, any shape."""
    return np.where(values <= 0.04045, values / 12.92, ((values + 0.055) / 1.055) ** 2.4).astype(np.float32)


def srgb_from_linear(values: FloatArray) -> FloatArray:
    """Linear light, 0 or more, to display values, any shape."""
    safe = np.maximum(values, 0.0)
    return np.where(safe <= 0.0031308, 12.92 * safe, 1.055 * np.power(np.maximum(safe, 1e-8), 1 / 2.4) - 0.055).astype(
        np.float32
    )

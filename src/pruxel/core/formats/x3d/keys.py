"""Keys of interpolators: shares of the clock's time, ascending, and a value for each."""

from __future__ import annotations

from typing import TypeAlias

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray
from pruxel.core.geometry.euler import slerps

# Shares (k,), and rows (k, width); of turns these are quaternions.
Keys: TypeAlias = tuple[DoubleArray, DoubleArray]


def spans(at: DoubleArray, shares: DoubleArray) -> tuple[AnyArray, AnyArray, DoubleArray]:
    """(n,) the keys before and after shares of the time, and how far each is on its way between these, 0 to 1."""
    before = np.clip(np.searchsorted(at, shares, "right") - 1, 0, max(len(at) - 2, 0))
    after = np.minimum(before + 1, len(at) - 1)
    return before, after, np.clip((shares - at[before]) / np.maximum(at[after] - at[before], 1e-12), 0, 1)


def values_at(keys: Keys, shares: DoubleArray) -> DoubleArray:
    """(n, width) the values at shares of the time: on lines, and arcs of turns, between the keys."""
    at, values = keys
    if len(at) == 1:
        return np.repeat(values, len(shares), axis=0)
    before, after, part = spans(at, shares)
    if values.shape[1] == 4:
        return slerps(values[before], values[after], part)
    return values[before] + (values[after] - values[before]) * part[:, None]

"""Rows picked by number, on both cores."""

from __future__ import annotations

import numpy as np

from pruxel.core.base.arrays import AnyArray
from pruxel.core.native.threads import over_ranges


def taken(values: AnyArray, rows: AnyArray) -> AnyArray:
    """Rows (n, …) of values (m, …) for the numbers rows (n,) of any whole kind, each of which must be 0 to m - 1.

    The same as `values[rows]`, which takes three times as long for short rows, and more memory for numbers of 32 bits.
    """
    found = np.empty((len(rows), *values.shape[1:]), values.dtype)

    def some(start: int, stop: int) -> None:
        # To have numpy look whether all are in range, it would put the values elsewhere first.
        np.take(values, rows[start:stop], axis=0, out=found[start:stop], mode="clip")

    over_ranges(len(rows), some)
    return found

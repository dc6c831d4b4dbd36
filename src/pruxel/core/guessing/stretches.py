"""Stretches of a file: where a condition holds in a row."""

from __future__ import annotations

import numpy as np

from pruxel.core.base.arrays import AnyArray


def stretches(holds: AnyArray) -> AnyArray:
    """Where truths (n,) stand in a row: (s, 2) int64, the first of each stretch and the one behind its last."""
    turns = np.diff(np.concatenate([[False], holds, [False]]).astype(np.int8))
    return np.flatnonzero(turns).reshape(-1, 2)

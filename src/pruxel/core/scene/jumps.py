"""Keys of turns that are out of line with those beside them."""

from __future__ import annotations

import numpy as np

from pruxel.core.base.arrays import AnyArray
from pruxel.core.geometry.euler import angles_between_deg
from pruxel.core.scene.keys import rows_of
from pruxel.core.scene.model import ClipChannel

JUMP_DEG = 60.0
_BACK = 0.4  # of the smaller jump: how near to each other the neighbours are
_LEAST_KEYS = 5


def jumping_keys(channel: ClipChannel, least_deg: float = JUMP_DEG) -> AnyArray:
    """(j,) the numbers of keys that are `least_deg` from both neighbours, while these are near to each other.

    Of turns between which the way is straight; the first and the last key have no two neighbours.
    """
    if channel.path != "rotation" or channel.interpolation != "LINEAR" or len(channel.times) < _LEAST_KEYS:
        return np.zeros(0, np.int64)
    turns = rows_of(channel)
    steps = angles_between_deg(turns[:-1], turns[1:])
    if float(steps.max()) < least_deg:
        return np.zeros(0, np.int64)
    smaller = np.minimum(steps[:-1], steps[1:])
    across = angles_between_deg(turns[:-2], turns[2:])
    found = np.flatnonzero((smaller >= least_deg) & (across < _BACK * smaller)) + 1
    # Of two in a row one alone jumps: something that goes to and fro at each key is no jump.
    apart = np.diff(found, prepend=-2) > 1
    return found[apart & (np.diff(found, append=len(turns) + 1) > 1)]

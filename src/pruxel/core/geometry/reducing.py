"""Keys left out where straight ways between the others pass near enough.

A cone opens from each key that stays: as long as the next key lies inside what all keys before it allow, they can go
(the "swinging door" of J. Bristol, US 4 669 097, expired; each key is looked at once or twice).
"""

from __future__ import annotations

import numba
import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray


@numba.njit(cache=True, nogil=True)
def _straight(times, rows, most, keep):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    width = rows.shape[1]
    low, high = np.full(width, -np.inf), np.full(width, np.inf)
    anchor, i = 0, 1
    keep[0] = keep[-1] = True
    while i < len(times):
        span = times[i] - times[anchor]
        inside = True
        for c in range(width):
            slope = (rows[i, c] - rows[anchor, c]) / span
            if slope < low[c] or slope > high[c]:
                inside = False
        if not inside:
            anchor = i - 1
            keep[anchor] = True
            low[:], high[:] = -np.inf, np.inf
            continue
        for c in range(width):
            away = rows[i, c] - rows[anchor, c]
            low[c] = max(low[c], (away - most[c]) / span)
            high[c] = min(high[c], (away + most[c]) / span)
        i += 1


@numba.njit(cache=True, nogil=True)
def _between(a, b, out):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """The rotation vector (3,) from one turn to another, by the shorter arc; what `slerp` goes along evenly."""
    ax, ay, az, aw = -a[0], -a[1], -a[2], a[3]
    x = aw * b[0] + ax * b[3] + ay * b[2] - az * b[1]
    y = aw * b[1] - ax * b[2] + ay * b[3] + az * b[0]
    z = aw * b[2] + ax * b[1] - ay * b[0] + az * b[3]
    w = aw * b[3] - ax * b[0] - ay * b[1] - az * b[2]
    if w < 0:
        x, y, z, w = -x, -y, -z, -w
    sine = np.sqrt(x * x + y * y + z * z)
    factor = 2 * np.arctan2(sine, w) / sine if sine > 1e-12 else 2.0
    out[0], out[1], out[2] = x * factor, y * factor, z * factor


@numba.njit(cache=True, nogil=True)
def _turning(times, turns, most, keep):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    low, high, away = np.full(3, -np.inf), np.full(3, np.inf), np.empty(3)
    anchor, i = 0, 1
    keep[0] = keep[-1] = True
    while i < len(times):
        span = times[i] - times[anchor]
        _between(turns[anchor], turns[i], away)
        inside = True
        for c in range(3):
            if away[c] / span < low[c] or away[c] / span > high[c]:
                inside = False
        if not inside:
            anchor = i - 1
            keep[anchor] = True
            low[:], high[:] = -np.inf, np.inf
            continue
        for c in range(3):
            low[c] = max(low[c], (away[c] - most) / span)
            high[c] = min(high[c], (away[c] + most) / span)
        i += 1


def needed_keys(times: DoubleArray, rows: DoubleArray, most: DoubleArray) -> AnyArray:
    """(k,) bool: which keys stay so that straight ways between them are no farther than `most` (w,) from the others.

    times (k,) ascending seconds, rows (k, w). The first and the last stay.
    """
    keep = np.zeros(len(times), bool)
    if len(times):
        _straight(np.ascontiguousarray(times), np.ascontiguousarray(rows), np.ascontiguousarray(most, np.float64), keep)
    return keep


def needed_turns(times: DoubleArray, turns: DoubleArray, most_rad: float) -> AnyArray:
    """(k,) bool: the same for unit quaternions (k, 4) xyzw, met along shorter arcs, and an angle.

    Angles between turns are no larger than the distance of their rotation vectors, which the cone bounds by axis.
    """
    keep = np.zeros(len(times), bool)
    if len(times):
        _turning(np.ascontiguousarray(times), np.ascontiguousarray(turns), most_rad / np.sqrt(3), keep)
    return keep

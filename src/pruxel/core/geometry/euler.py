"""Rotations as three turns about the axes, and clips of rotations as curves of such angles that nothing flips between.

Angles are degrees (n, 3) about x, y and z; the turn about x is done first, then y, then z (matrix Rz Ry Rx).
"""

from __future__ import annotations

import numba
import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray

_POLE = 1 - 1e-9
_ROUNDS = 10
_INSIDE = (0.25, 0.5, 0.75)
_MOST_TURN_DEG = 170  # between two keys; readers that take half a turn and more for one the other way round are common


def euler_deg(turns: DoubleArray) -> DoubleArray:
    """The angles (n, 3) of unit quaternions (n, 4) xyzw; straight up or down, all of the turn is about x."""
    x, y, z, w = turns.T
    lean = np.clip(2 * (w * y - z * x), -1, 1)
    pole = np.abs(lean) > _POLE
    about_x = np.arctan2(2 * (w * x + y * z), 1 - 2 * (x * x + y * y))
    about_z = np.arctan2(2 * (w * z + x * y), 1 - 2 * (y * y + z * z))
    about_x = np.where(pole, 2 * np.arctan2(x, w), about_x)
    about_z = np.where(pole, 0.0, about_z)
    return np.degrees(np.stack([about_x, np.arcsin(lean), about_z], axis=1))


def turns_of_euler(angles_deg: DoubleArray) -> DoubleArray:
    """The unit quaternions (n, 4) xyzw of angles (n, 3)."""
    return turns_about(np.radians(np.asarray(angles_deg, np.float64)), "xyz")


def turns_about(angles_rad: DoubleArray, order: str) -> DoubleArray:
    """The quaternions (…, 4) xyzw of turns (…, 3) about fixed axes, one a letter of `order`, the first done first."""
    half = angles_rad / 2
    whole = np.broadcast_to(np.array([0.0, 0.0, 0.0, 1.0]), (*half.shape[:-1], 4))
    for place, letter in enumerate(order):
        one = np.zeros_like(whole)
        one[..., "xyz".index(letter)] = np.sin(half[..., place])
        one[..., 3] = np.cos(half[..., place])
        whole = products(one, whole)
    return whole


def unit_rows(rows: DoubleArray) -> DoubleArray:
    """(n, k) the directions of rows; zeros where a row has no length."""
    length = np.linalg.norm(rows, axis=1, keepdims=True)
    return np.where(length > 1e-12, rows / np.maximum(length, 1e-12), 0.0)


def turns_of_axes(axes: DoubleArray, angles_rad: DoubleArray) -> DoubleArray:
    """The unit quaternions (n, 4) xyzw of turns by angles (n,) about axes (n, 3); no axis is no turn."""
    unit, half = unit_rows(axes), angles_rad[:, None] / 2
    still = ~unit.any(axis=1, keepdims=True)
    return np.concatenate([unit * np.sin(half), np.where(still, 1.0, np.cos(half))], axis=1)


def products(second: DoubleArray, first: DoubleArray) -> DoubleArray:
    """(…, 4) Hamilton products of quaternions xyzw: the rotations that do `first`, then `second`."""
    (ax, ay, az, aw), (bx, by, bz, bw) = (tuple(q[..., i] for i in range(4)) for q in (second, first))
    found = np.empty(np.broadcast_shapes(second.shape, first.shape), np.result_type(second, first))
    # Written out: for the few rows that most have, numpy.cross takes several times as long as all the rest.
    found[..., 0] = aw * bx + bw * ax + (ay * bz - az * by)
    found[..., 1] = aw * by + bw * ay + (az * bx - ax * bz)
    found[..., 2] = aw * bz + bw * az + (ax * by - ay * bx)
    found[..., 3] = aw * bw - (ax * bx + ay * by + az * bz)
    return found


def inverses(turns: DoubleArray) -> DoubleArray:
    """(…, 4) the turns back of unit quaternions xyzw."""
    return turns * np.array([-1.0, -1.0, -1.0, 1.0])


def turned(turns: DoubleArray, ways: DoubleArray) -> DoubleArray:
    """(…, 3) ways turned by unit quaternions (…, 4) xyzw, each by its own or all by one."""
    axis, w = turns[..., :3], turns[..., 3:]
    twice = 2 * np.cross(axis, ways)
    return ways + w * twice + np.cross(axis, twice)


def arcs(first: DoubleArray, second: DoubleArray) -> DoubleArray:
    """(n, 4) the shortest turns from ways (n, 3) to others, half a turn about any axis across where they are opposite.

    No turn where either has no length.
    """
    a, b = unit_rows(first), unit_rows(second)
    cosine = (a * b).sum(axis=1, keepdims=True)
    found = np.concatenate([np.cross(a, b), 1 + cosine], axis=1)
    opposite = cosine[:, 0] < -1 + 1e-9
    across = np.cross(a, np.eye(3)[np.abs(a).argmin(axis=1)])
    found[opposite] = np.concatenate([across, np.zeros_like(cosine)], axis=1)[opposite]
    return found / np.linalg.norm(found, axis=1, keepdims=True)


def on_one_side(turns: DoubleArray) -> DoubleArray:
    """(n, 4) the same turns, neighbours on one side."""
    if len(turns) < 2:
        return turns
    flips = np.einsum("ij,ij->i", turns[1:], turns[:-1]) < 0
    sign = np.where(np.cumsum(flips) % 2 == 1, -1.0, 1.0)
    return np.concatenate([turns[:1], turns[1:] * sign[:, None]])


def unwrapped(angles_deg: DoubleArray) -> DoubleArray:
    """The same rotations, each told by the angles that lie nearest those before it.

    A rotation has two triples of angles, and any of them may be whole turns more.
    """
    found = np.array(angles_deg, np.float64)
    _unwrap(found)
    return found


@numba.njit(cache=True, nogil=True)
def _unwrap(found):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Go through the rows (n, 3) and change each where another triple of the same rotation is nearer the last."""
    other = np.empty(3)
    for row in range(1, len(found)):
        other[0], other[1], other[2] = found[row, 0] + 180, 180 - found[row, 1], found[row, 2] + 180
        far, far_other = 0.0, 0.0
        for k in range(3):
            before = found[row - 1, k]
            found[row, k] -= 360 * np.round((found[row, k] - before) / 360)
            other[k] -= 360 * np.round((other[k] - before) / 360)
            far += abs(found[row, k] - before)
            far_other += abs(other[k] - before)
        if far_other < far:
            found[row] = other


def angles_between_deg(first: DoubleArray, second: DoubleArray) -> DoubleArray:
    """(n,) degrees between the rotations of unit quaternions (n, 4), exact for small ones."""
    cosine = np.abs(np.einsum("ij,ij->i", first, second))
    apart = np.minimum(np.linalg.norm(first - second, axis=1), np.linalg.norm(first + second, axis=1))
    return np.degrees(
        np.where(cosine > 0.9, 4 * np.arcsin(np.minimum(apart / 2, 1)), 2 * np.arccos(np.minimum(cosine, 1)))
    )


def slerps(first: DoubleArray, second: DoubleArray, share: AnyArray) -> DoubleArray:
    """(n, 4) unit quaternions at shares (n,) of the shorter arcs between unit quaternions (n, 4)."""
    cosine = np.einsum("ij,ij->i", first, second)
    second = np.where(cosine[:, None] < 0, -second, second)
    angle = np.arccos(np.minimum(np.abs(cosine), 1))
    near = angle < 1e-4
    sine = np.where(near, 1.0, np.sin(angle))
    a = np.where(near, 1 - share, np.sin((1 - share) * angle) / sine)
    b = np.where(near, share, np.sin(share * angle) / sine)
    found = a[:, None] * first + b[:, None] * second
    return found / np.linalg.norm(found, axis=1, keepdims=True)


def euler_curve(times: AnyArray, turns: DoubleArray, most_deg: float) -> tuple[DoubleArray, DoubleArray, float]:
    """Keys of angles between which straight lines follow the shorter arcs of the given keys.

    times (k,) ascending seconds; turns (k, 4) unit quaternions xyzw. Where a straight line of angles strays from the
    arc by more than `most_deg`, or turns by about half a circle, keys are added half way, up to ten times over. Returns
    times (m,), angles (m, 3) in degrees, and the largest error that is left, in degrees.
    """
    at, exact = np.asarray(times, np.float64), np.asarray(turns, np.float64)
    error = 0.0
    for _ in range(_ROUNDS):
        angles = unwrapped(euler_deg(exact))
        if len(at) < 2:
            return at, angles, 0.0
        strays = np.zeros(len(at) - 1)
        for share in _INSIDE:
            line = turns_of_euler(angles[:-1] * (1 - share) + angles[1:] * share)
            arc = slerps(exact[:-1], exact[1:], np.full(len(at) - 1, share))
            strays = np.maximum(strays, angles_between_deg(line, arc))
        error = float(strays.max())
        wide = np.nonzero((strays > most_deg) | (np.abs(np.diff(angles, axis=0)).max(axis=1) > _MOST_TURN_DEG))[0]
        if not len(wide):
            break
        middle = slerps(exact[wide], exact[wide + 1], np.full(len(wide), 0.5))
        at = np.insert(at, wide + 1, (at[wide] + at[wide + 1]) / 2)
        exact = np.insert(exact, wide + 1, middle, axis=0)
    return at, unwrapped(euler_deg(exact)), error

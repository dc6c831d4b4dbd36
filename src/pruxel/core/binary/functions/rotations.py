"""Rotations as files keep them → quaternions xyzw, of unit length; one, or one a row."""

from __future__ import annotations

from typing import Any

import numpy as np

from pruxel.core.base.arrays import AnyArray
from pruxel.core.binary.arithmetic import as_array, kind_of, shape_together
from pruxel.core.binary.functions.registry import function
from pruxel.core.geometry.euler import products, turns_about

_GROUP = "Rotations"
_TINY = 1e-12


def vectors(value: Any, width: int, what: str = "a vector") -> AnyArray:  # noqa: ANN401 - any value of a field
    """(…, width) float64; raises `ValueError`."""
    found = as_array(value).astype(np.float64)
    if not found.ndim or found.shape[-1] != width:
        raise ValueError(f"{what} of {width} numbers, not {kind_of(value)}")
    return found


def unit_turns(turns: AnyArray) -> AnyArray:
    """Quaternions of unit length; a zero is no turn."""
    length = np.linalg.norm(turns, axis=-1, keepdims=True)
    return np.where(length > _TINY, turns / np.maximum(length, _TINY), (0.0, 0.0, 0.0, 1.0))


@function(_GROUP)
def wxyz(turn: Any) -> AnyArray:  # noqa: ANN401
    """A quaternion stored w, x, y, z."""
    found = vectors(turn, 4, "a quaternion")
    return found[..., [1, 2, 3, 0]]


@function(_GROUP)
def conjugate(turn: Any) -> AnyArray:  # noqa: ANN401
    """The opposite rotation."""
    return vectors(turn, 4, "a quaternion") * (-1.0, -1.0, -1.0, 1.0)


@function(_GROUP)
def rebuilt_w(xyz: Any, sign: float = 1.0) -> AnyArray:  # noqa: ANN401
    """A unit quaternion of which only x, y and z are stored; `sign` of w is that of the number given (-1 or 1)."""
    found = vectors(xyz, 3)
    rest = np.sqrt(np.maximum(1.0 - (found * found).sum(axis=-1, keepdims=True), 0.0))
    sense = np.where(as_array(sign) < 0, -1.0, 1.0)
    return unit_turns(np.concatenate([found, rest * (sense[..., None] if sense.ndim else sense)], axis=-1))


@function(_GROUP)
def times(second: Any, first: Any) -> AnyArray:  # noqa: ANN401
    """The rotation that does `first`, then `second` (Hamilton product)."""
    a, b = vectors(second, 4, "a quaternion"), vectors(first, 4, "a quaternion")
    shape_together(a.shape, b.shape)
    return products(a, b)


@function(_GROUP)
def axis_angle(axis: Any, angle_rad: Any) -> AnyArray:  # noqa: ANN401
    """A turn by radians about an axis, right-handed."""
    line = vectors(axis, 3)
    length = np.linalg.norm(line, axis=-1, keepdims=True)
    half = as_array(angle_rad).astype(np.float64)[..., None] / 2
    shape = shape_together(line.shape[:-1], half.shape[:-1])
    unit = np.broadcast_to(line / np.maximum(length, _TINY), (*shape, 3))
    half = np.broadcast_to(half, (*shape, 1))
    return unit_turns(np.concatenate([unit * np.sin(half), np.cos(half)], axis=-1))


@function(_GROUP)
def rotation_vector(turn: Any) -> AnyArray:  # noqa: ANN401
    """An axis whose length is the angle in radians."""
    found = vectors(turn, 3)
    return axis_angle(found, np.linalg.norm(found, axis=-1))


@function(_GROUP)
def half_angle(axis: Any) -> AnyArray:  # noqa: ANN401
    """An axis whose length is the sine of half the angle: x, y, z of the quaternion, as `rebuilt_w`."""
    return rebuilt_w(axis)


@function(_GROUP)
def euler(angles: Any, order: str = "xyz", unit: str = "radians") -> AnyArray:  # noqa: ANN401
    """Three angles about fixed axes, the first letter of `order` turned first, `angles` being in that order.

    About the object's own axes, turned in the order a, b, c, write `order` backwards and the angles too.
    """
    found = vectors(angles, 3)
    if sorted(order) != ["x", "y", "z"] and not (len(order) == 3 and set(order) <= set("xyz") and order[0] == order[2]):
        raise ValueError(f"'{order}' is no order of axes, such as 'xyz' or 'zxz'")
    if unit not in {"radians", "degrees"}:
        raise ValueError(f"angles are in 'radians' or 'degrees', not '{unit}'")
    return turns_about(found if unit == "radians" else np.radians(found), order)


@function(_GROUP)
def smallest_three(stored: Any, dropped: Any) -> AnyArray:  # noqa: ANN401
    """A unit quaternion without its largest component: the other three in order, and which of x, y, z, w is dropped.

    The dropped one is not negative. `stored` are the components themselves; undo their packing first, often
    `snorm(bits, n) / sqrt(2)`.
    """
    kept = vectors(stored, 3)
    which = as_array(dropped)
    if which.dtype.kind != "i" or (which.size and not 0 <= int(which.min()) <= int(which.max()) <= 3):
        raise ValueError("the dropped component is one of 0 to 3")
    shape = shape_together(kept.shape[:-1], which.shape)
    kept, which = np.broadcast_to(kept, (*shape, 3)), np.broadcast_to(which, shape)[..., None]
    rest = np.sqrt(np.maximum(1.0 - (kept * kept).sum(axis=-1, keepdims=True), 0.0))
    places = np.arange(4)
    taken = np.take_along_axis(kept, np.broadcast_to(np.clip(places - (places > which), 0, 2), (*shape, 4)), axis=-1)
    return unit_turns(np.where(places == which, rest, taken))

"""Matrices: (4, 4), by rows, for column vectors; one, or one a row of the array."""

from __future__ import annotations

from typing import Any

import numpy as np

from pruxel.core.base.arrays import AnyArray
from pruxel.core.binary.arithmetic import as_array, kind_of
from pruxel.core.binary.functions.registry import function
from pruxel.core.binary.functions.rotations import unit_turns, vectors
from pruxel.core.geometry.transforms import matrices_of, turns_of

_GROUP = "Vectors and matrices"


def matrices(value: Any) -> AnyArray:  # noqa: ANN401 - any value of a field
    """(…, 4, 4) float64; raises `ValueError`."""
    found = as_array(value).astype(np.float64)
    if found.ndim < 2 or found.shape[-2:] != (4, 4):
        raise ValueError(f"{kind_of(value)} is no 4x4 matrix; 'matrix' makes one")
    return found


@function(_GROUP)
def matrix(values: Any, by: str = "rows") -> AnyArray:  # noqa: ANN401
    """9, 12 or 16 numbers as a 4x4 matrix, stored by 'rows' or by 'columns'.

    12 by rows are three rows of four, or, by columns, four columns of three: always a 3x3 part and a translation.
    """
    found = as_array(values).astype(np.float64)
    if found.ndim > 2 and found.shape[-2:] in {(3, 3), (3, 4), (4, 3), (4, 4)}:
        found = found.reshape(*found.shape[:-2], -1)
    if not found.ndim or found.shape[-1] not in {9, 12, 16} or by not in {"rows", "columns"}:
        raise ValueError(f"'matrix' takes 9, 12 or 16 numbers by 'rows' or 'columns', not {kind_of(values)}")
    short = {9: (3, 3), 12: (3, 4), 16: (4, 4)}[found.shape[-1]]
    shape = short if by == "rows" else short[::-1]
    part = found.reshape(*found.shape[:-1], *shape)
    part = part if by == "rows" else np.swapaxes(part, -1, -2)
    whole = np.broadcast_to(np.eye(4), (*found.shape[:-1], 4, 4)).copy()
    whole[..., : part.shape[-2], : part.shape[-1]] = part
    return whole


@function(_GROUP)
def transpose(m: Any) -> AnyArray:  # noqa: ANN401
    """Rows and columns exchanged."""
    return np.swapaxes(matrices(m), -1, -2)


@function(_GROUP)
def inverse(m: Any) -> AnyArray:  # noqa: ANN401
    """The matrix that undoes it."""
    found = matrices(m)
    try:
        return np.linalg.inv(found)
    except np.linalg.LinAlgError:
        raise ValueError("a matrix that cannot be undone: it has no size in some direction") from None


@function(_GROUP)
def placement(translation: Any, rotation: Any = (0.0, 0.0, 0.0, 1.0), scale: Any = (1.0, 1.0, 1.0)) -> AnyArray:  # noqa: ANN401
    """Scale, then rotation (a quaternion xyzw), then translation, as a matrix."""
    turn = unit_turns(vectors(rotation, 4, "a quaternion"))
    return matrices_of(vectors(translation, 3), turn, vectors(scale, 3))


@function(_GROUP)
def translation_of(m: Any) -> AnyArray:  # noqa: ANN401
    """Where a matrix puts the origin."""
    return matrices(m)[..., :3, 3]


@function(_GROUP)
def rotation_of(m: Any) -> AnyArray:  # noqa: ANN401
    """The rotation of a matrix as a quaternion xyzw, scale taken out."""
    return turns_of(matrices(m))[1]


@function(_GROUP)
def scale_of(m: Any) -> AnyArray:  # noqa: ANN401
    """The scale of a matrix along its three axes; one that mirrors has a negative x."""
    return turns_of(matrices(m))[2]


@function(_GROUP)
def dot(a: Any, b: Any) -> Any:  # noqa: ANN401
    """Inner product, row by row."""
    return (vectors(a, 3) * vectors(b, 3)).sum(axis=-1)


@function(_GROUP)
def cross(a: Any, b: Any) -> AnyArray:  # noqa: ANN401
    """Cross product, row by row."""
    return np.cross(vectors(a, 3), vectors(b, 3))


@function(_GROUP)
def length(a: Any) -> Any:  # noqa: ANN401
    """Length of a vector, or of each row."""
    return np.linalg.norm(as_array(a).astype(np.float64), axis=-1)


@function(_GROUP)
def unit(a: Any) -> AnyArray:  # noqa: ANN401
    """The same direction with length 1; a zero stays."""
    found = as_array(a).astype(np.float64)
    size = np.linalg.norm(found, axis=-1, keepdims=True)
    return np.where(size > 0, found / np.where(size > 0, size, 1), 0.0)

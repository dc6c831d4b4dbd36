"""Directions packed into two numbers, or into one."""

from __future__ import annotations

from typing import Any

import numpy as np

from pruxel.core.base.arrays import AnyArray
from pruxel.core.binary.arithmetic import as_array
from pruxel.core.binary.functions.registry import function
from pruxel.core.binary.functions.rotations import vectors

_GROUP = "Directions"


@function(_GROUP)
def octahedral(xy: Any) -> AnyArray:  # noqa: ANN401 - any value of a field
    """Unit vectors from their place on an unfolded octahedron, x and y from -1 to 1.

    Cigolle et al., "A Survey of Efficient Representations for Independent Unit Vectors" (2014), section 3.
    """
    found = vectors(xy, 2)
    z = 1 - np.abs(found).sum(axis=-1, keepdims=True)
    folded = (1 - np.abs(found[..., ::-1])) * np.where(found >= 0, 1.0, -1.0)
    whole = np.concatenate([np.where(z < 0, folded, found), z], axis=-1)
    return whole / np.maximum(np.linalg.norm(whole, axis=-1, keepdims=True), 1e-12)


@function(_GROUP)
def spherical(around_rad: Any, from_pole_rad: Any) -> AnyArray:  # noqa: ANN401
    """Unit vectors from an angle around +z, counted from +x, and an angle from +z."""
    a, b = as_array(around_rad).astype(np.float64), as_array(from_pole_rad).astype(np.float64)
    return np.stack([np.cos(a) * np.sin(b), np.sin(a) * np.sin(b), np.cos(b) + 0 * a], axis=-1)


@function(_GROUP)
def rebuilt_z(xy: Any) -> AnyArray:  # noqa: ANN401
    """Unit vectors of which only x and y are stored; z is not negative."""
    found = vectors(xy, 2)
    z = np.sqrt(np.maximum(1 - (found * found).sum(axis=-1, keepdims=True), 0))
    return np.concatenate([found, z], axis=-1)

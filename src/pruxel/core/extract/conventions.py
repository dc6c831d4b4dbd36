"""From a game's axes, unit, winding and UV origin to glTF's."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from pruxel.core.base.arrays import DoubleArray, FloatArray, IndexArray, as_floats, as_indices
from pruxel.core.binary.conventions import Conventions


@dataclass(frozen=True)
class Turning:
    """ours_from_file (3, 3) with signs only, the unit in metres, and whether corners must be reversed."""

    ours_from_file: DoubleArray
    unit_m: float
    reverse: bool
    flip_v: bool

    @cached_property
    def points(self) -> DoubleArray:
        """(3, 3): rows of points times this are those points in our axes and metres."""
        return self.ours_from_file.T * self.unit_m


def turning(conventions: Conventions) -> Turning:
    """Work out the change of basis; a mirroring one reverses the winding once more."""
    matrix = np.zeros((3, 3))
    for row, axis in enumerate(conventions.axes):
        matrix[row, "xyz".index(axis[-1])] = -1.0 if axis.startswith("-") else 1.0
    mirrored = bool(np.linalg.det(matrix) < 0)
    clockwise = conventions.winding == "clockwise"
    return Turning(matrix, conventions.unit_m, clockwise != mirrored, conventions.uv_origin == "bottom_left")


def turn_points(points: FloatArray, how: Turning) -> FloatArray:
    """(n, 3) positions in our axes and metres."""
    return as_floats(points @ how.points, 3)


def turn_directions(directions: FloatArray, how: Turning) -> FloatArray:
    """(n, 3) directions in our axes, made unit length; a zero becomes +Y."""
    turned = directions[:, :3] @ how.ours_from_file.T
    length = np.linalg.norm(turned, axis=1, keepdims=True)
    return as_floats(np.where(length > 1e-12, turned / np.maximum(length, 1e-12), (0.0, 1.0, 0.0)), 3)


def turn_tangents(tangents: FloatArray, how: Turning) -> FloatArray:
    """(n, 4) tangents; the bitangent's sign changes with mirroring and with a turned V axis."""
    sign = -1.0 if (np.linalg.det(how.ours_from_file) < 0) != how.flip_v else 1.0
    handed = np.where(tangents[:, 3:] < 0, -1.0, 1.0) * sign
    return as_floats(np.concatenate([turn_directions(tangents, how), handed], axis=1), 4)


def turn_uvs(uvs: FloatArray, how: Turning) -> FloatArray:
    """(n, 2) UVs with their origin at the top left."""
    if how.flip_v:
        return as_floats(np.stack([uvs[:, 0], 1 - uvs[:, 1]], axis=1), 2)
    return as_floats(uvs[:, :2], 2)


def turn_corners(indices: IndexArray, how: Turning) -> IndexArray:
    """(m, 3) corners, counter-clockwise seen from the front."""
    return as_indices(indices[:, ::-1] if how.reverse else indices)


def turned_matrices(matrices: DoubleArray, how: Turning) -> DoubleArray:
    """(…, 4, 4) matrices of the file, parent_from_local, in our axes and metres."""
    basis = how.ours_from_file
    found = np.array(matrices, np.float64)
    found[..., :3, :3] = basis @ found[..., :3, :3] @ basis.T
    found[..., :3, 3] = found[..., :3, 3] @ how.points
    return found


def turn_rotations(turns: DoubleArray, how: Turning) -> DoubleArray:
    """(n, 4) quaternions xyzw in our axes; where an axis is mirrored, what turned left turns right."""
    handed = np.sign(np.linalg.det(how.ours_from_file))
    return np.concatenate([handed * turns[:, :3] @ how.ours_from_file.T, turns[:, 3:]], axis=1)

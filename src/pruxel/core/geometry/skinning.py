"""Vertices that follow joints, and values between keys."""

from __future__ import annotations

from typing import Literal

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray, FloatArray


def blended_matrices(matrices: DoubleArray, joints: AnyArray, weights: FloatArray) -> DoubleArray:
    """The (n, 4, 4) matrix of every vertex: its joints' (j, 4, 4) world_from_mesh matrices by its weights.

    joints (n, k) unsigned numbers below j, weights (n, k) that sum to one (glTF 2.0, section 3.7.3.3).
    """
    found = np.zeros((len(joints), 4, 4))
    for column in range(joints.shape[1]):
        found += matrices[joints[:, column]] * weights[:, column, None, None]
    return found


def moved_points(points: FloatArray, matrices: DoubleArray) -> FloatArray:
    """(n, 3) points, each by its own (n, 4, 4) matrix."""
    return (np.einsum("nij,nj->ni", matrices[:, :3, :3], points) + matrices[:, :3, 3]).astype(np.float32)


def turned_directions(directions: FloatArray, matrices: DoubleArray) -> FloatArray:
    """(n, 3) unit normals, each by the cofactors of its own (n, 4, 4) matrix; one that vanishes stays as it was."""
    a = matrices[:, :3, :3]
    cofactors = np.cross(a[:, [1, 2, 0]], a[:, [2, 0, 1]])
    turned = np.einsum("nij,nj->ni", cofactors, directions)
    length = np.linalg.norm(turned, axis=1, keepdims=True)
    return np.where(length > 1e-12, turned / np.maximum(length, 1e-12), directions).astype(np.float32)


def turned_tangents(tangents: FloatArray, matrices: DoubleArray) -> FloatArray:
    """(n, 4) unit tangents, each by its own (n, 4, 4) matrix; w, the bitangent's side, turns where that mirrors."""
    linear = matrices[:, :3, :3]
    turned = np.einsum("nij,nj->ni", linear, tangents[:, :3])
    length = np.linalg.norm(turned, axis=1, keepdims=True)
    along = np.where(length > 1e-12, turned / np.maximum(length, 1e-12), tangents[:, :3])
    side = np.where(np.linalg.det(linear) < 0, -tangents[:, 3], tangents[:, 3])
    return np.concatenate([along, side[:, None]], axis=1).astype(np.float32)


def value_at(
    times: FloatArray, values: AnyArray, seconds: float, how: Literal["LINEAR", "STEP", "CUBICSPLINE"], *, turn: bool
) -> DoubleArray:
    """The (width,) value of keys at a time, held before the first and after the last (glTF 2.0, appendix C).

    times (k,) ascending seconds; values (k, width), or (3k, width) for CUBICSPLINE: in-tangent, value, out-tangent.
    `turn`: the values are unit quaternions xyzw, met along the shorter arc.
    """
    spline = how == "CUBICSPLINE"
    keys = (values[1::3] if spline else values).astype(np.float64)
    last = int(np.searchsorted(times, seconds, "right")) - 1
    if last < 0 or last >= len(times) - 1 or how == "STEP":
        return keys[min(max(last, 0), len(keys) - 1)]
    span = float(times[last + 1] - times[last])
    share = (seconds - float(times[last])) / span
    if spline:
        out_tangent, in_tangent = span * values[3 * last + 2], span * values[3 * last + 3]
        cubed, squared = share**3, share**2
        mixed = (
            (2 * cubed - 3 * squared + 1) * keys[last]
            + (cubed - 2 * squared + share) * out_tangent
            + (3 * squared - 2 * cubed) * keys[last + 1]
            + (cubed - squared) * in_tangent
        )
        return mixed / np.linalg.norm(mixed) if turn else mixed
    if turn:
        return slerp(keys[last], keys[last + 1], share)
    return keys[last] * (1 - share) + keys[last + 1] * share


def slerp(first: DoubleArray, second: DoubleArray, share: float) -> DoubleArray:
    """The unit quaternion (4,) at a share of the shorter arc between two of any length (Shoemake 1985)."""
    a, b = first / np.linalg.norm(first), second / np.linalg.norm(second)
    cosine = float(a @ b)
    if cosine < 0:
        b, cosine = -b, -cosine
    if cosine > 1 - 1e-9:
        mixed: DoubleArray = a + share * (b - a)
        return mixed / np.linalg.norm(mixed)
    angle = np.arccos(min(cosine, 1.0))
    between: DoubleArray = (np.sin((1 - share) * angle) * a + np.sin(share * angle) * b) / np.sin(angle)
    return between

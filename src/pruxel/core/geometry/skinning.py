"""Vertices that follow joints, and values between keys."""

from __future__ import annotations

from typing import Literal

import numba
import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray, FloatArray, frozen


def blended_matrices(matrices: DoubleArray, joints: AnyArray, weights: FloatArray) -> DoubleArray:
    """The (n, 4, 4) matrix of every vertex: its joints' (j, 4, 4) world_from_mesh matrices by its weights.

    joints (n, k) unsigned numbers below j, weights (n, k) that sum to one (glTF 2.0, section 3.7.3.3).
    """
    found = np.zeros((len(joints), 4, 4))
    for column in range(joints.shape[1]):
        found += matrices[joints[:, column]] * weights[:, column, None, None]
    return found


@numba.njit(cache=True, nogil=True)
def _hold(points, joints, weights, matrices, normals, tangents, out, out_normals, out_tangents):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    m = np.empty((3, 4))
    for i in range(len(points)):
        m[:] = 0.0
        for k in range(joints.shape[1]):
            weight = weights[i, k]
            if weight != 0:
                joint = joints[i, k]
                for r in range(3):
                    for c in range(4):
                        m[r, c] += weight * matrices[joint, r, c]
        x, y, z = points[i, 0], points[i, 1], points[i, 2]
        for r in range(3):
            out[i, r] = m[r, 0] * x + m[r, 1] * y + m[r, 2] * z + m[r, 3]
        if len(normals):
            # By cofactors, as `turned_directions` does.
            x, y, z = normals[i, 0], normals[i, 1], normals[i, 2]
            a = (m[1, 1] * m[2, 2] - m[1, 2] * m[2, 1]) * x + (m[1, 2] * m[2, 0] - m[1, 0] * m[2, 2]) * y
            a += (m[1, 0] * m[2, 1] - m[1, 1] * m[2, 0]) * z
            b = (m[2, 1] * m[0, 2] - m[2, 2] * m[0, 1]) * x + (m[2, 2] * m[0, 0] - m[2, 0] * m[0, 2]) * y
            b += (m[2, 0] * m[0, 1] - m[2, 1] * m[0, 0]) * z
            c_ = (m[0, 1] * m[1, 2] - m[0, 2] * m[1, 1]) * x + (m[0, 2] * m[1, 0] - m[0, 0] * m[1, 2]) * y
            c_ += (m[0, 0] * m[1, 1] - m[0, 1] * m[1, 0]) * z
            length = np.sqrt(a * a + b * b + c_ * c_)
            if length > 1e-12:
                out_normals[i, 0], out_normals[i, 1], out_normals[i, 2] = a / length, b / length, c_ / length
            else:
                out_normals[i] = normals[i]
        if len(tangents):
            x, y, z = tangents[i, 0], tangents[i, 1], tangents[i, 2]
            a = m[0, 0] * x + m[0, 1] * y + m[0, 2] * z
            b = m[1, 0] * x + m[1, 1] * y + m[1, 2] * z
            c_ = m[2, 0] * x + m[2, 1] * y + m[2, 2] * z
            length = np.sqrt(a * a + b * b + c_ * c_)
            out_tangents[i] = tangents[i]
            if length > 1e-12:
                out_tangents[i, 0], out_tangents[i, 1], out_tangents[i, 2] = a / length, b / length, c_ / length
            side = m[0, 0] * (m[1, 1] * m[2, 2] - m[1, 2] * m[2, 1]) - m[0, 1] * (m[1, 0] * m[2, 2] - m[1, 2] * m[2, 0])
            side += m[0, 2] * (m[1, 0] * m[2, 1] - m[1, 1] * m[2, 0])
            if side < 0:
                out_tangents[i, 3] = -tangents[i, 3]


def held_surface(
    points: FloatArray,
    normals: FloatArray | None,
    tangents: FloatArray | None,
    joints: AnyArray,
    weights: FloatArray,
    matrices: DoubleArray,
) -> tuple[FloatArray, FloatArray | None, FloatArray | None]:
    """Points (n, 3), unit normals (n, 3) and tangents (n, 4) where joints (n, k) hold them by weights (n, k).

    matrices (j, 4, 4) are the joints' world_from_mesh. The same as `moved_points`, `turned_directions` and
    `turned_tangents` by `blended_matrices`, without a matrix kept for every vertex.
    """
    none = np.zeros((0, 4), np.float32)
    given = (none if normals is None else normals, none if tangents is None else tangents)
    out = (np.empty(points.shape, np.float32), *(np.empty(values.shape, np.float32) for values in given))
    # All that is read is marked so: one compiled form serves what comes from a scene and what was just made.
    read = (points, joints.astype(np.uint16, copy=False), weights, np.ascontiguousarray(matrices[:, :3]), *given)
    _hold(*(frozen(np.ascontiguousarray(values)) for values in read), *out)
    return out[0], None if normals is None else out[1], None if tangents is None else out[2]


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

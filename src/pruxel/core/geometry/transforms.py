"""4x4 matrices and quaternions (xyzw), column vectors, float64."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from pruxel.core.base.arrays import DoubleArray, FloatArray


def quaternion_matrix(quaternion: Sequence[float]) -> DoubleArray:
    """Compute the (3, 3) rotation of a quaternion xyzw; a zero quaternion is the identity."""
    x, y, z, w = (float(v) for v in quaternion)
    norm = x * x + y * y + z * z + w * w
    if norm < 1e-30:
        return np.eye(3)
    s = 2.0 / norm
    return np.array(
        [
            [1 - s * (y * y + z * z), s * (x * y - z * w), s * (x * z + y * w)],
            [s * (x * y + z * w), 1 - s * (x * x + z * z), s * (y * z - x * w)],
            [s * (x * z - y * w), s * (y * z + x * w), 1 - s * (x * x + y * y)],
        ],
    )


def matrix_quaternion(matrix: DoubleArray) -> tuple[float, float, float, float]:
    """Compute the quaternion xyzw of a (3, 3) proper rotation (Shepperd's method)."""
    m = np.asarray(matrix, dtype=np.float64)
    choices = np.array([m[0, 0], m[1, 1], m[2, 2], m.trace()])
    k = int(np.argmax(choices))
    q = np.empty(4)
    if k == 3:
        q[3] = 1 + choices[3]
        q[:3] = (m[2, 1] - m[1, 2], m[0, 2] - m[2, 0], m[1, 0] - m[0, 1])
    else:
        i, j, n = k, (k + 1) % 3, (k + 2) % 3
        q[i] = 1 - choices[3] + 2 * m[i, i]
        q[j], q[n] = m[j, i] + m[i, j], m[n, i] + m[i, n]
        q[3] = m[n, j] - m[j, n]
    q /= np.linalg.norm(q)
    return (float(q[0]), float(q[1]), float(q[2]), float(q[3]))


def compose(translation: Sequence[float], rotation: Sequence[float], scale: Sequence[float]) -> DoubleArray:
    """Build the (4, 4) parent_from_local matrix translation * rotation * scale."""
    matrix = np.eye(4)
    matrix[:3, :3] = quaternion_matrix(rotation) * np.asarray(scale, dtype=np.float64)
    matrix[:3, 3] = translation
    return matrix


def decompose(
    matrix: DoubleArray,
) -> tuple[tuple[float, float, float], tuple[float, float, float, float], tuple[float, float, float]]:
    """Split a (4, 4) affine matrix into translation, rotation xyzw and scale; shear is lost.

    A mirroring matrix gets a negative x scale.
    """
    linear = np.asarray(matrix, dtype=np.float64)[:3, :3]
    scale = np.linalg.norm(linear, axis=0)
    if np.linalg.det(linear) < 0:
        scale[0] = -scale[0]
    safe = np.where(scale == 0, 1.0, scale)
    t, s = matrix[:3, 3], scale
    return (
        (float(t[0]), float(t[1]), float(t[2])),
        matrix_quaternion(linear / safe),
        (float(s[0]), float(s[1]), float(s[2])),
    )


def affine_inverses(matrices: DoubleArray) -> DoubleArray:
    """The (…, 4, 4) inverses of affine matrices, whose last row is just 0 0 0 1; what is flat is left out of them."""
    linear = np.linalg.pinv(matrices[..., :3, :3])
    found = np.zeros(matrices.shape)
    found[..., :3, :3], found[..., 3, 3] = linear, 1.0
    found[..., :3, 3] = -np.einsum("...ij,...j->...i", linear, matrices[..., :3, 3])
    return found


def transform_points(points: FloatArray, matrix: DoubleArray) -> FloatArray:
    """Apply a (4, 4) matrix to (n, 3) points; the identity returns the same array."""
    if np.array_equal(matrix, np.eye(4)):
        return points
    return (points @ matrix[:3, :3].T + matrix[:3, 3]).astype(np.float32)


def normal_matrix(matrix: DoubleArray) -> DoubleArray:
    """Compute the (3, 3) matrix for normals (inverse transpose up to a positive factor)."""
    (a, b, c), (d, e, f), (g, h, i) = np.asarray(matrix, dtype=np.float64)[:3, :3].tolist()
    # Written out: scenes have hundreds of placements, and a cross product of three numbers costs far more than they do.
    cofactor = np.array(
        [
            [e * i - f * h, f * g - d * i, d * h - e * g],
            [c * h - b * i, a * i - c * g, b * g - a * h],
            [b * f - c * e, c * d - a * f, a * e - b * d],
        ]
    )
    return cofactor * np.sign(a * cofactor[0, 0] + b * cofactor[0, 1] + c * cofactor[0, 2] or 1.0)


def matrices_of(translations: DoubleArray, rotations: DoubleArray, scales: DoubleArray) -> DoubleArray:
    """The (…, 4, 4) parent_from_local matrices of (…, 3), unit (…, 4) xyzw and (…, 3)."""
    shape = np.broadcast_shapes(translations.shape[:-1], rotations.shape[:-1], scales.shape[:-1])
    x, y, z, w = (rotations[..., i] for i in range(4))
    whole = np.zeros((*shape, 4, 4))
    linear = whole[..., :3, :3]
    for row, column, entry in (
        (0, 0, 1 - 2 * (y * y + z * z)), (0, 1, 2 * (x * y - z * w)), (0, 2, 2 * (x * z + y * w)),
        (1, 0, 2 * (x * y + z * w)), (1, 1, 1 - 2 * (x * x + z * z)), (1, 2, 2 * (y * z - x * w)),
        (2, 0, 2 * (x * z - y * w)), (2, 1, 2 * (y * z + x * w)), (2, 2, 1 - 2 * (x * x + y * y)),
    ):  # fmt: skip
        linear[..., row, column] = entry
    linear *= scales[..., None, :]
    whole[..., :3, 3] = translations
    whole[..., 3, 3] = 1
    return whole


def turns_of(matrices: DoubleArray) -> tuple[DoubleArray, DoubleArray, DoubleArray]:
    """Translations (…, 3), rotations (…, 4) xyzw and scales (…, 3) of (…, 4, 4) matrices, as `decompose` splits one."""
    flat = np.asarray(matrices, np.float64).reshape(-1, 4, 4)
    scale = np.linalg.norm(flat[:, :3, :3], axis=1)
    scale[:, 0] = np.where(np.linalg.det(flat[:, :3, :3]) < 0, -scale[:, 0], scale[:, 0])
    m = flat[:, :3, :3] / np.where(scale == 0, 1.0, scale)[:, None, :]
    # Each row's largest of x, y, z, w is worked out first, and the others from it (Shepperd).
    xx, yy, zz = m[:, 0, 0], m[:, 1, 1], m[:, 2, 2]
    ones = np.ones(len(m))
    wx, wy, wz = m[:, 2, 1] - m[:, 1, 2], m[:, 0, 2] - m[:, 2, 0], m[:, 1, 0] - m[:, 0, 1]
    xy, xz, yz = m[:, 0, 1] + m[:, 1, 0], m[:, 0, 2] + m[:, 2, 0], m[:, 1, 2] + m[:, 2, 1]
    choices = np.stack(
        [
            np.stack([ones + xx - yy - zz, xy, xz, wx], axis=1),
            np.stack([xy, ones + yy - xx - zz, yz, wy], axis=1),
            np.stack([xz, yz, ones + zz - xx - yy, wz], axis=1),
            np.stack([wx, wy, wz, ones + xx + yy + zz], axis=1),
        ],
        axis=1,
    )
    largest = np.argmax(choices[:, np.arange(4), np.arange(4)], axis=1)
    turns = choices[np.arange(len(m)), largest]
    length = np.linalg.norm(turns, axis=1, keepdims=True)
    turns = np.where(length > 0, turns / np.where(length > 0, length, 1), (0.0, 0.0, 0.0, 1.0))
    lead = matrices.shape[:-2]
    return flat[:, :3, 3].reshape(*lead, 3), turns.reshape(*lead, 4), scale.reshape(*lead, 3)

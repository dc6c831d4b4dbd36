"""Which way faces look: evidence from rays that leave for the open, which also works on open meshes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import FloatArray, IndexArray, bounds
from pruxel.core.geometry.sampling import sphere_directions, surface_points
from pruxel.core.native.rays import RayMesh


@dataclass(frozen=True)
class Openness:
    """Shares of rays that reach the open, from the front and from the back of sampled faces.

    `inward_share` is the share of decided samples that see more of the open behind than before them.
    """

    front: float
    back: float
    inward_share: float
    decided: int
    samples: int


def openness(
    positions: FloatArray,
    indices: IndexArray,
    *,
    samples: int = 256,
    directions: int = 48,
    margin: float = 0.15,
) -> Openness:
    """Send rays from both sides of sampled faces and count those that nothing stops.

    A sample is decided when its two shares differ by more than `margin`: a lone sheet, open on both sides, decides
    nothing. Samples are spread by area, directions evenly over each half sphere.
    """
    points, normals, _ = surface_points(positions, indices, samples)
    if not len(points):
        return Openness(0.0, 0.0, 0.0, 0, 0)
    mesh = RayMesh(positions, indices)
    low, high = bounds(positions)
    lift = np.float32(1e-4 * float((high - low).max()))
    front = _open_share(mesh, points, normals, lift, directions)
    back = _open_share(mesh, points, -normals, lift, directions)
    decided = np.abs(front - back) > margin
    inward = float((back > front)[decided].mean()) if decided.any() else 0.0
    return Openness(float(front.mean()), float(back.mean()), inward, int(decided.sum()), len(points))


def _open_share(
    mesh: RayMesh, points: FloatArray, normals: FloatArray, lift: np.float32, directions: int
) -> FloatArray:
    rays = sphere_directions(directions)
    facing = normals @ rays.T
    aimed = rays[None, :, :] * np.where(facing < 0, np.float32(-1), np.float32(1))[:, :, None]
    origins = np.repeat(points + normals * lift, directions, axis=0)
    blocked = mesh.blocked(origins, aimed.reshape(-1, 3).astype(np.float32))
    weight = np.abs(facing)
    free = (~blocked).reshape(len(points), directions) * weight
    share: FloatArray = free.sum(axis=1) / weight.sum(axis=1)
    return share

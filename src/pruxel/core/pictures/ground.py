"""What a subject keeps of the sky from the ground that it stands on."""

from __future__ import annotations

import numpy as np

from pruxel.core.base.arrays import AnyArray, FloatArray
from pruxel.core.geometry.sampling import sphere_directions
from pruxel.core.images.sampled import texels_at
from pruxel.core.native.rays import RayMesh
from pruxel.core.pictures.flatten import Soup

_FAR = 2.2
_DARKEST = 0.55
_LOWEST = 1e-4


def ground_shadow(
    soup: Soup, mesh: RayMesh, origins: FloatArray, directions: FloatArray, cells: int, rays: int
) -> FloatArray:
    """How dark the ground is where rays, both (n, 3), meet it, (n,) from 0 to 1; no rays meet it above the horizon.

    The shadow changes slowly: it is found for `cells` a side of the ground by so many rays, and read between them.
    """
    low, high = soup.bounds
    middle = (low + high) / 2
    reach = np.float32(0.5 * np.hypot(*(high - low)[[0, 2]]) + 1e-9)
    shadow = np.zeros(len(origins), np.float32)
    falling = np.flatnonzero(directions[:, 1] < -_LOWEST)
    travel = (low[1] - origins[falling, 1]) / directions[falling, 1]
    places = [(origins[falling, k] + directions[falling, k] * travel - middle[k]) / reach for k in (0, 2)]
    away = np.hypot(*places)
    near = away < _FAR
    uv = np.stack(places, axis=1)[near] / np.float32(2 * _FAR) + np.float32(0.5)
    plan = _plan(mesh, np.array([middle[0], low[1] + 1e-3 * reach, middle[2]], np.float32), reach, cells, rays)
    shadow[falling[near]] = texels_at(plan, uv)[:, 0] * np.minimum(_FAR - away[near], 1) * _DARKEST
    return shadow


def _plan(mesh: RayMesh, middle: FloatArray, reach: np.float32, cells: int, rays: int) -> AnyArray:
    """The ground seen from above as texels, (cells, cells, 1) uint8: the share of the sky that is hidden there."""
    side = (((np.arange(cells) + 0.5) / cells * 2 - 1) * _FAR).astype(np.float32)
    z, x = (grid.reshape(-1) for grid in np.meshgrid(side, side, indexing="ij"))
    inside = np.flatnonzero(np.hypot(x, z) < _FAR + 2 * _FAR / cells)
    points = np.stack([x[inside], np.zeros(len(inside), np.float32), z[inside]], axis=1) * reach + middle
    up = sphere_directions(2 * rays)[:rays, [0, 2, 1]]
    # Each turns the directions by another angle, so that few rays do not show as so many edges.
    angle = (np.arange(len(points)) * 2.399963).astype(np.float32)[:, None]
    cos, sin = np.cos(angle), np.sin(angle)
    across, along = cos * up[:, 0] - sin * up[:, 2], sin * up[:, 0] + cos * up[:, 2]
    aims = np.stack([across, np.broadcast_to(up[:, 1], across.shape), along], axis=-1).reshape(-1, 3)
    blocked = mesh.blocked(np.repeat(points, rays, axis=0), aims).reshape(-1, rays)
    hidden = np.zeros(cells * cells, np.float32)
    hidden[inside] = blocked @ (up[:, 1] / up[:, 1].sum())
    soft = _softened(_softened(hidden.reshape(cells, cells)))
    return (soft * 255 + 0.5).astype(np.uint8)[..., None]


def _softened(plan: FloatArray) -> FloatArray:
    """Each cell with its neighbours, one to two to one both ways."""
    wide = np.pad(plan, 1, mode="edge")
    rows = wide[:-2] + 2 * wide[1:-1] + wide[2:]
    soft: FloatArray = (rows[:, :-2] + 2 * rows[:, 1:-1] + rows[:, 2:]) / 16
    return soft

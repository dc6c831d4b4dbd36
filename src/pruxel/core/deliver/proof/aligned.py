"""Which corner of what was written each corner that was read is, whatever order a reader has put them in."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from scipy.spatial import cKDTree

from pruxel.core.base.arrays import AnyArray
from pruxel.core.deliver.proof.checks import Tolerances
from pruxel.core.deliver.proof.surfaces import Surface

# How much of a tolerance of position a unit of another attribute weighs: it tells corners at one place apart.
_ELSE = 0.5


@dataclass(frozen=True, eq=False)
class Alignment:
    """`written_of_read` (r,) int64; `missing` how many written corners nothing that was read stands for."""

    written_of_read: AnyArray
    missing: int


def aligned(written: Surface, read: Surface, t: Tolerances) -> Alignment:
    """Find each read corner among the written ones: in order where the order is kept, else by what is nearest."""
    count = len(read.positions)
    if not count or not len(written.positions):
        return Alignment(np.zeros(0, np.int64), len(written.positions))
    near = t.length * _diagonal(written)
    if len(written.positions) == count:
        apart = np.abs(written.positions.astype(np.float64) - read.positions).max(axis=1)
        if bool((apart <= near).all()):
            return Alignment(np.arange(count), 0)
    theirs, ours = _features(read, written, near), _features(written, written, near)
    _, found = cKDTree(ours).query(theirs)
    there, _ = cKDTree(theirs[:, :3]).query(ours[:, :3])
    return Alignment(found.astype(np.int64), int((there > 2).sum()))


def taken(surface: Surface, rows: AnyArray) -> Surface:
    """The surface with its corners in another order, or some of them."""

    def some(values: AnyArray | None) -> AnyArray | None:
        return None if values is None else values[rows]

    return replace(
        surface,
        positions=surface.positions[rows],
        normals=some(surface.normals),
        uvs=tuple(uv[rows] for uv in surface.uvs),
        colors=tuple(color[rows] for color in surface.colors),
        joints=some(surface.joints),
        weights=some(surface.weights),
        materials=surface.materials[rows] if len(surface.materials) else surface.materials,
    )


def facing(surface: Surface) -> AnyArray:
    """(c, 3) float64: the unit normal of the triangle that each corner is of; zero for one without area."""
    a, b, c = surface.positions.reshape(-1, 3, 3).astype(np.float64).transpose(1, 0, 2)
    across = np.cross(b - a, c - a)
    length = np.linalg.norm(across, axis=1, keepdims=True)
    unit = np.where(length > 0, across / np.where(length > 0, length, 1), 0.0)
    return np.repeat(unit, 3, axis=0)


def _diagonal(surface: Surface) -> float:
    return float(np.linalg.norm(np.ptp(surface.positions.astype(np.float64), axis=0))) or 1e-9


def _features(one: Surface, like: Surface, near: float) -> AnyArray:
    """(c, f): places in units of what is near, and all else that both surfaces have, small beside them."""
    columns = [one.positions.astype(np.float64) / near]
    if like.normals is not None:
        columns.append(_ELSE * (np.zeros_like(one.positions) if one.normals is None else one.normals))
    columns.append(_ELSE * facing(one))
    flat = np.zeros((len(one.positions), 2))
    columns += [_ELSE * (one.uvs[k] if k < len(one.uvs) else flat) for k in range(len(like.uvs))]
    if len(like.materials):
        names = {name: place for place, name in enumerate(sorted(set(like.materials.tolist())))}
        columns.append(_ELSE * np.array([[names.get(name, -1)] for name in one.materials.tolist()], np.float64))
    if like.joints is not None and one.joints is not None and one.weights is not None:
        columns.append(_ELSE * (np.modf(one.joints * 0.6180339887)[0] * one.weights).sum(axis=1, keepdims=True))
    return np.concatenate(columns, axis=1)

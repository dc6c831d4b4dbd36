"""Which corner of what was written each corner that was read is, whatever order a reader has put them in."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from scipy.spatial import cKDTree

from pruxel.core.base.arrays import AnyArray, lengths
from pruxel.core.deliver.proof.checks import Tolerances
from pruxel.core.deliver.proof.surfaces import Surface, diagonal
from pruxel.core.native.rows import taken

# How much of a tolerance of position a unit of another attribute weighs: it tells corners at one place apart.
_ELSE = 0.5
_SLIVER = 1e-4  # twice the area over the square of the longest side, below which rounding turns a triangle
_SAME_WAY = 0.9  # the cosine of the angle between two normals of the same triangle, at least


@dataclass(frozen=True, eq=False)
class Alignment:
    """`written_of_read` (r,) int64; `missing` how many written triangles nothing that was read stands for."""

    written_of_read: AnyArray
    missing: int


def aligned(written: Surface, read: Surface, t: Tolerances) -> Alignment:
    """Find each read corner among the written ones: in order where the order is kept, else by what is nearest."""
    count = len(read.positions)
    if not count or not len(written.positions):
        return Alignment(np.zeros(0, np.int64), len(written.positions) // 3)
    near = t.length * (diagonal(written.positions) or 1e-9)
    if len(written.positions) == count:
        apart = np.abs(written.positions.astype(np.float64) - read.positions).max(axis=1)
        if bool((apart <= near).all()):
            return Alignment(np.arange(count), 0)
    theirs, ours = _features(read, written, near), _features(written, written, near)
    _, found = cKDTree(ours).query(theirs)
    there, _ = cKDTree(_centres(read)).query(_centres(written))
    return Alignment(found.astype(np.int64), int((there > 2 * near).sum()))


def reordered(surface: Surface, rows: AnyArray) -> Surface:
    """The surface with its corners in another order, or some of them."""

    def some(values: AnyArray | None) -> AnyArray | None:
        return None if values is None else taken(values, rows)

    return replace(
        surface,
        positions=taken(surface.positions, rows),
        normals=some(surface.normals),
        uvs=tuple(taken(uv, rows) for uv in surface.uvs),
        colors=tuple(taken(color, rows) for color in surface.colors),
        joints=some(surface.joints),
        weights=some(surface.weights),
        materials=surface.materials[rows] if len(surface.materials) else surface.materials,
    )


def facing(surface: Surface) -> AnyArray:
    """(c, 3) float64: the unit normal of the triangle that each corner is of; zero for one of hardly any area."""
    a, b, c = surface.positions.reshape(-1, 3, 3).astype(np.float64).transpose(1, 0, 2)
    across = np.cross(b - a, c - a)
    length = lengths(across)[:, None]
    longest = np.maximum(((b - a) ** 2).sum(axis=1), ((c - a) ** 2).sum(axis=1))[:, None]
    wide = length > _SLIVER * longest
    unit = np.where(wide, across / np.where(wide, length, 1), 0.0)
    return np.repeat(unit, 3, axis=0)


def turned_over(written: Surface, read: Surface, way: Alignment) -> int:
    """How many triangles that were read look another way than those that were written."""
    if len(written.positions) != len(read.positions) or not len(read.positions):
        return 0
    ours, theirs = taken(facing(written), way.written_of_read), facing(read)
    flat = (ours == 0).all(axis=1) | (theirs == 0).all(axis=1)
    return -(-int((~flat & ((ours * theirs).sum(axis=1) < _SAME_WAY)).sum()) // 3)


def _centres(surface: Surface) -> AnyArray:
    return surface.positions.reshape(-1, 3, 3).astype(np.float64).mean(axis=1)


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

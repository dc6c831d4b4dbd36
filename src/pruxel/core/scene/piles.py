"""Coarser copies of a part in its own place: levels of detail that a file piles up without saying which is which."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree

from pruxel.core.base.context import Context
from pruxel.core.geometry.nearest import nearest_places
from pruxel.core.geometry.sampling import surface_points
from pruxel.core.scene.measure import extents, face_count
from pruxel.core.scene.model import Mesh, Node, Scene
from pruxel.core.scene.pose import standing
from pruxel.core.scene.surface import Surface, surface_of
from pruxel.core.scene.walk import parts

WITHIN = 0.015
# A copy's box ends where the part's does, within this share of its diagonal, and has so many fewer triangles.
_BOX, _FEWER, _SMALLER = 0.06, 0.8, 0.6
# Nine tenths of the surface lie within so many times the median.
_FARTHER = 4.0
_POINTS = 240
# More than so many in one box are a heap and no levels; so many pairs are looked at closely.
_MOST_LEVELS, _MOST_COMPARED = 8, 2_000


@dataclass(frozen=True)
class Pile:
    """The nodes of parts, the finest first, and how far their surfaces lie apart: a share of the finest's diagonal."""

    nodes: tuple[int, ...]
    apart: float


def piles(
    scene: Scene, context: Context, *, among: Collection[int] | None = None, within: float = WITHIN
) -> list[Pile]:
    """All piles of shown parts of the finest level, as they stand; `among` some nodes only.

    Two parts are one thing when they share their materials, or their names but for digits, when their boxes agree, and
    when half of the points spread over either surface lie within `within` of the other one, as a share of the diagonal.
    """
    shown = [
        (index, node, mesh)
        for index, node, mesh in parts(scene)
        if node.role == "visual" and node.detail == 0 and (among is None or index in among)
    ]
    standing_in = dict(extents(scene))
    boxes = {index: np.array([*extent.low, *extent.high]) for index, extent in standing_in.items()}
    kin: dict[object, list[int]] = {}
    for index, node, mesh in shown:
        if np.isfinite(boxes[index]).all():
            for key in _keys(node, mesh):
                kin.setdefault(key, []).append(index)
    triangles = {index: face_count(mesh) for index, _, mesh in shown}
    near = {pair for group in kin.values() for pair in _in_one_box(group, boxes, triangles)}
    # A coarser copy has about the area of what it stands for.
    pairs = sorted(
        (finer, coarser)
        for finer, coarser in near
        if _SMALLER * standing_in[finer].area <= standing_in[coarser].area <= standing_in[finer].area / _SMALLER
    )[:_MOST_COMPARED]
    wanted = {index for pair in pairs for index in pair}
    surfaces = {index: surface_of(mesh) for index, _, mesh in standing(scene, wanted)} if wanted else {}
    return list(_piled(pairs, surfaces, boxes, triangles, within, context))


def _keys(node: Node, mesh: Mesh) -> Iterator[object]:
    """What a part has in common with its copies."""
    yield frozenset(p.material for p in mesh.primitives)
    yield "".join(letter for letter in node.name if not letter.isdigit())


def _diagonal(box: np.ndarray) -> float:
    return float(np.linalg.norm(box[3:] - box[:3]))


def _in_one_box(group: list[int], boxes: dict[int, np.ndarray], triangles: dict[int, int]) -> Iterator[tuple[int, int]]:
    """A part and one in its box with fewer triangles."""
    if len({triangles[index] for index in group}) < 2:
        return
    box = np.stack([boxes[index] for index in group])
    tree = cKDTree(box)
    for index, own in zip(group, box, strict=True):
        reach = _BOX * _diagonal(own)
        far, found = tree.query(own, k=min(2 * _MOST_LEVELS, len(group)), p=np.inf)
        there = [group[other] for other in found[far <= reach].tolist()]
        coarser = [other for other in there if 0 < triangles[other] <= _FEWER * triangles[index]]
        if len(coarser) <= _MOST_LEVELS:
            yield from ((index, other) for other in coarser)


def _piled(
    pairs: list[tuple[int, int]],
    surfaces: dict[int, Surface],
    boxes: dict[int, np.ndarray],
    triangles: dict[int, int],
    within: float,
    context: Context,
) -> Iterator[Pile]:
    copies: dict[int, list[int]] = {}
    for finer, coarser in pairs:
        copies.setdefault(finer, []).append(coarser)
    taken: set[int] = set()
    for finest in sorted(copies, key=lambda index: (-triangles[index], index)):
        if finest in taken:
            continue
        levels, apart = [finest], 0.0
        for other in sorted(copies[finest], key=lambda index: (-triangles[index], index)):
            context.check()
            if other in taken or triangles[other] > _FEWER * triangles[levels[-1]]:
                continue
            far = _apart(surfaces[finest], surfaces[other]) / _diagonal(boxes[finest])
            if far <= within:
                levels.append(other)
                apart = max(apart, far)
        if len(levels) > 1:
            taken.update(levels)
            yield Pile(tuple(levels), apart)


def _apart(one: Surface, other: Surface) -> float:
    """The median distance between two surfaces in metres; more where a tenth lies far beyond it. Infinite for none."""
    found = []
    for here, there in ((one, other), (other, one)):
        points, _, _ = surface_points(here.positions, here.indices, _POINTS)
        if not len(points):
            return np.inf
        found.append(nearest_places(points, there.positions, there.indices).distance)
    middle, most = np.quantile(np.concatenate(found), (0.5, 0.9)).tolist()
    return float(max(middle, most / _FARTHER))

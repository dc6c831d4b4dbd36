"""What places a node: matrices, translations, turns, scales, views and shears, one after the other."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import DoubleArray
from pruxel.core.formats.collada.document import Document
from pruxel.core.formats.xml import Tag
from pruxel.core.geometry.euler import turns_of_axes, unit_rows
from pruxel.core.geometry.transforms import matrices_of

_STILL: dict[str, tuple[float, ...]] = {
    "matrix": tuple(np.eye(4).reshape(-1).tolist()),
    "translate": (0.0, 0.0, 0.0),
    "rotate": (0.0, 0.0, 1.0, 0.0),
    "scale": (1.0, 1.0, 1.0),
    "skew": (0.0, 0.0, 1.0, 0.0, 1.0, 0.0, 0.0),
    "lookat": (0.0, 0.0, 0.0, 0.0, 0.0, -1.0, 0.0, 1.0, 0.0),
}
_LARGEST = 1e15
_TURNLESS: DoubleArray = np.array([0.0, 0.0, 0.0, 1.0])


@dataclass(frozen=True, eq=False)
class Move:
    """One of a node's placements by its kind, with its numbers (k,)."""

    kind: str
    sid: str
    values: DoubleArray


def moves_of(document: Document, node: Tag) -> list[Move]:
    """The placements of a node, outermost first; numbers that are none count as no placement."""
    found = []
    for tag in node.all(*_STILL):
        still = _STILL[tag.name]
        values = document.numbers(tag, still)[: len(still)]
        sound = bool((np.abs(values) < _LARGEST).all())
        found.append(Move(tag.name, tag.get("sid"), values if sound else np.array(still)))
    return found


def matrices(kinds: Sequence[str], values: Sequence[DoubleArray], count: int) -> DoubleArray:
    """(n, 4, 4) parent_from_local: the product of placements, each with its numbers (n, k)."""
    whole = np.broadcast_to(np.eye(4), (count, 4, 4))
    for kind, rows in zip(kinds, values, strict=True):
        whole = whole @ _ONE[kind](rows)
    return whole


def matrix_of(moves: Sequence[Move]) -> DoubleArray:
    """(4, 4) where a node stands at rest."""
    return matrices([m.kind for m in moves], [m.values[None] for m in moves], 1)[0]


def _matrix(rows: DoubleArray) -> DoubleArray:
    return rows.reshape(-1, 4, 4)


def _translate(rows: DoubleArray) -> DoubleArray:
    return matrices_of(rows, _TURNLESS, np.ones(3))


def _scale(rows: DoubleArray) -> DoubleArray:
    return matrices_of(np.zeros(3), _TURNLESS, rows)


def _rotate(rows: DoubleArray) -> DoubleArray:
    turns = turns_of_axes(rows[:, :3], np.radians(rows[:, 3]))
    return matrices_of(np.zeros(3), turns, np.ones(3))


def _skew(rows: DoubleArray) -> DoubleArray:
    """Points move along the second axis by the tangent of the angle times how far they lie along the first."""
    whole = np.tile(np.eye(4), (len(rows), 1, 1))
    along = np.tan(np.radians(np.clip(rows[:, 0], -89.9, 89.9)))[:, None, None]
    whole[:, :3, :3] += along * unit_rows(rows[:, 4:7])[:, :, None] * unit_rows(rows[:, 1:4])[:, None, :]
    return whole


def _lookat(rows: DoubleArray) -> DoubleArray:
    """At the eye, looking along -Z at the point of interest."""
    whole = np.tile(np.eye(4), (len(rows), 1, 1))
    back = unit_rows(rows[:, :3] - rows[:, 3:6])
    side = unit_rows(np.cross(rows[:, 6:9], back))
    fine = back.any(axis=1) & side.any(axis=1)
    axes = np.stack([side, np.cross(back, side), back], axis=2)
    whole[fine, :3, :3] = axes[fine]
    whole[:, :3, 3] = rows[:, :3]
    return whole


_ONE = {
    "matrix": _matrix, "translate": _translate, "rotate": _rotate, "scale": _scale, "skew": _skew, "lookat": _lookat,
}  # fmt: skip

"""What else vertices have: normals, UVs, colours, joints and weights, told by what their numbers do."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import AnyArray, ByteArray
from pruxel.core.binary.elements import Element, decode_floats, element

_SHARE = 0.95  # of the vertices must do what is asked
_LEAST, _BETTER = 0.5, 0.02  # how sure one must be at least, and how much surer than by what was found before


@dataclass(frozen=True)
class Stream:
    """One attribute: `type` (an element type) at byte `offset` of the file, every `stride` bytes; `sure` 0 to 1."""

    attribute: str
    type: str
    offset: int
    stride: int
    sure: float


@dataclass(frozen=True, eq=False)
class Rows:
    """Vertices in which attributes are looked for.

    `bytes` (n, width) uint8; `offset` of the first in the file; `normals` (n, 3) of the surface; `pairs` (e, 2) joined.
    """

    bytes: ByteArray
    offset: int
    stride: int
    order: str
    normals: AnyArray
    pairs: AnyArray


def find_attributes(rows: Rows, free: list[tuple[int, int]]) -> Iterator[Stream]:
    """The attributes in the free columns, given as (first, end), the sureness of each above a half."""
    weighted = False
    for semantic, types, judge in _JUDGES:
        if semantic == "joints" and not weighted:
            continue
        best: tuple[float, Element, int] | None = None
        for kind, column in _places(types, free):
            sure = judge(decode_floats(rows.bytes, kind, column, rows.order), rows)
            if sure > _LEAST and (best is None or sure > best[0] + _BETTER):
                best = (sure, kind, column)
        if best is not None:
            sure, kind, column = best
            weighted |= semantic == "weights"
            free = list(_without(free, column, column + kind.size))
            yield Stream(semantic, kind.name, rows.offset + column, rows.stride, sure)


def _places(types: tuple[str, ...], free: list[tuple[int, int]]) -> Iterator[tuple[Element, int]]:
    """Every type at every free column where it may stand: whole numbers from where the room begins."""
    for first, end in free:
        for name in types:
            kind = element(name)
            if kind is not None:
                step = kind.size // kind.width
                yield from ((kind, column) for column in range(first, end - kind.size + 1, step))


def _without(free: list[tuple[int, int]], first: int, end: int) -> Iterator[tuple[int, int]]:
    for one, other in free:
        for a, b in ((one, min(other, first)), (max(one, end), other)):
            if b > a:
                yield a, b


def _normal(values: AnyArray, rows: Rows) -> float:
    """Unit vectors that stand on the surface."""
    with np.errstate(all="ignore"):
        length = np.linalg.norm(values[:, :3], axis=1)
        close = np.abs(length - 1) < 0.03
        if not close.mean() > _SHARE:
            return 0.0
        agree = np.abs((values[:, :3] * rows.normals).sum(axis=1))
    return float(np.clip(np.where(close, agree, 0.0).mean(), 0, 1))


def _weights(values: AnyArray, _rows: Rows) -> float:
    """Numbers from 0 to 1 that add up to 1."""
    with np.errstate(all="ignore"):
        if not (values >= 0).all() or not np.isfinite(values).all():
            return 0.0
        whole = np.abs(values.sum(axis=1) - 1) < 0.012
    varied = np.unique(values[:, 0]).size > 1 or (values[:, 1:] == 0).all()
    return 0.9 * float(whole.mean() > _SHARE and varied)


def _color(values: AnyArray, rows: Rows) -> float:
    """Four bytes, the last nearly always full, or all of them changing little along an edge."""
    opaque = (values[:, 3] > 0.99).mean() > _SHARE and np.unique(values[:, :3]).size > 2
    if not opaque:
        return 0.0
    apart = _apart(values[:, :3], rows.pairs)
    return 0.75 if apart < 0.6 else 0.6 if apart < 0.95 else 0.0


def _uv(values: AnyArray, rows: Rows) -> float:
    """Two numbers of a modest size that change little along an edge."""
    with np.errstate(all="ignore"):
        size = np.abs(values)
        if not np.isfinite(values).all() or size.max() > 64 or (values.max(axis=0) - values.min(axis=0) < 1e-3).any():
            return 0.0
        if ((size > 0) & (size < 2.0**-40)).mean() > 1 - _SHARE:
            return 0.0
    apart = max(_apart(values[:, [column]], rows.pairs) for column in (0, 1))
    inside = ((values >= -0.01) & (values <= 1.01)).mean()
    return float(np.clip(1 - apart, 0, 1) * (0.75 + 0.25 * inside))


def _apart(values: AnyArray, pairs: AnyArray) -> float:
    """How far joined vertices are apart over how far others are."""
    joined = np.abs(values[pairs[:, 0]] - values[pairs[:, 1]]).sum()
    others = np.abs(values[pairs[:, 0]] - values[np.roll(pairs[:, 1], len(pairs) // 2)]).sum()
    return float(joined / others) if others > 0 else 9.0


def _joints(values: AnyArray, _rows: Rows) -> float:
    """Small whole numbers, few of them."""
    few = np.unique(values).size
    return 0.6 if 1 < few <= 256 and values.max() < 255 and np.array_equal(values, np.rint(values)) else 0.0


Judge = Callable[[AnyArray, Rows], float]
_JUDGES: tuple[tuple[str, tuple[str, ...], Judge], ...] = (
    (
        "normal",
        ("f32x3", "snorm8x4", "snorm8x3", "snorm16x4", "snorm16x3", "f16x4", "f16x3", "snorm10_10_10_2"),
        _normal,
    ),
    ("weights", ("unorm8x4", "f32x4", "unorm16x4"), _weights),
    ("color", ("unorm8x4",), _color),
    ("uv0", ("f32x2", "f16x2", "unorm16x2", "snorm16x2"), _uv),
    ("joints", ("u8x4", "u16x4"), _joints),
)

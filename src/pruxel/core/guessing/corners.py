"""Lists and strips of triangle corners in bytes that nobody described.

Corners count vertices, so a run of them stays below its own length; and in a surface the edge of one triangle is that
of another in the opposite direction, which no other numbers do.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

import numpy as np

from pruxel.core.base.arrays import AnyArray, ByteArray
from pruxel.core.binary.functions.triangles import strip as triangles_of_strip
from pruxel.core.guessing.stretches import stretches

Kind = Literal["list", "strip"]
_LEAST = 30
_MOST_RUNS = 24
_GOOD = 0.3
_GAIN = 1.02  # what taking something off must bring
MOST_JOINING = 8  # triangles without area by which two strips are joined, at most
_SCALARS = (("u16", 2), ("u32", 4))
_RESTARTS = {"u16": 0xFFFF, "u32": 0xFFFFFFFF}


@dataclass(frozen=True)
class Corners:
    """A run of corners: `count` numbers of `type` from byte `offset` on, naming `vertices` vertices.

    `quality`, 0 to 1: how many edges have their other side, how many vertices below the highest are used, and so on.
    """

    type: Literal["u16", "u32"]
    order: Literal["<", ">"]
    offset: int
    count: int
    kind: Kind
    vertices: int
    quality: float

    @property
    def width(self) -> int:
        """Bytes of one."""
        return 2 if self.type == "u16" else 4

    @property
    def end(self) -> int:
        """The byte behind the last."""
        return self.offset + self.count * self.width

    def triangles(self, data: ByteArray) -> AnyArray:
        """(t, 3) int64; triangles with two equal corners left out."""
        values = data[self.offset : self.end].view(np.dtype(f"{self.order}u{self.width}"))
        return triangles_in(values.astype(np.int64), self.kind, _RESTARTS[self.type])


def triangles_in(values: AnyArray, kind: Kind, restart: int) -> AnyArray:
    """The triangles (t, 3) of a run of corners; those with two equal corners left out."""
    if kind == "strip":
        return np.asarray(triangles_of_strip(values, restart)).reshape(-1, 3)
    found = values[: len(values) // 3 * 3].reshape(-1, 3)
    return found[have_area(found)]


def find_corners(data: ByteArray) -> list[Corners]:
    """The likely runs in a file, the best first; data (n,) uint8."""
    found: list[Corners] = []
    for scalar, size in _SCALARS:
        for order in ("<", ">"):
            for phase in range(size):
                last = phase + (len(data) - phase) // size * size
                values = data[phase:last].view(f"{order}u{size}").astype(np.int64)
                for first, end in _runs(values, scalar):
                    found += _in_run(values[first:end], scalar, order, phase + first * size, size)
    found.sort(key=lambda one: -_worth(one.quality, one.count))
    kept: list[Corners] = []
    for one in found:
        if not any(_same(one, other) for other in kept):
            kept.append(one)
    return kept[:12]


def _same(one: Corners, other: Corners) -> bool:
    """Whether two say nearly the same: most of the smaller lies in the larger, read as the same numbers."""
    shared = min(one.end, other.end) - max(one.offset, other.offset)
    alike = (one.type, one.order, one.kind) == (other.type, other.order, other.kind)
    return alike and shared > 0.8 * min(one.end - one.offset, other.end - other.offset)


def _runs(values: AnyArray, scalar: str) -> Iterator[tuple[int, int]]:
    """Stretches in which all numbers stay below their own number; restarts of strips may stand among them."""
    restart = values == _RESTARTS[scalar]
    seen: set[tuple[int, int]] = set()
    limit = 32
    while limit <= min(len(values), 1 << 15 if scalar == "u16" else 1 << 26):
        small = (values < limit) | restart
        spans = stretches(small)
        spans = spans[spans[:, 1] - spans[:, 0] >= max(limit, _LEAST)]
        longest = spans[np.argsort(spans[:, 0] - spans[:, 1], kind="stable")][:_MOST_RUNS]
        for first, end in longest.tolist():
            if (first, end) not in seen:
                seen.add((first, end))
                yield first, end
        limit *= 2


def _in_run(values: AnyArray, scalar: str, order: str, offset: int, size: int) -> Iterator[Corners]:
    """The run read as a list from each of its first three numbers, and as a strip."""
    best: tuple[float, Corners] | None = None
    for phase in range(3):
        triangles = values[phase : phase + (len(values) - phase) // 3 * 3].reshape(-1, 3)
        bounds = _surface(triangles)
        if bounds is None:
            continue
        first, end, quality = _trimmed(triangles, *bounds)
        if quality >= _GOOD and (best is None or quality * (end - first) > best[0]):
            top = int(triangles[first:end].max()) + 1
            start = offset + (phase + first * 3) * size
            one = Corners(scalar, order, start, (end - first) * 3, "list", top, quality)  # type: ignore[arg-type]
            best = (quality * (end - first), one)
    if best is not None:
        yield best[1]
    strip = _strip(values, scalar, order, offset, size)
    if strip is not None and (best is None or strip.quality > best[1].quality):
        yield strip


def _strip(values: AnyArray, scalar: str, order: str, offset: int, size: int) -> Corners | None:
    restart = _RESTARTS[scalar]
    rows = np.stack([values[:-2], values[1:-1], values[2:]], axis=1)
    rows[1::2] = rows[1::2, ::-1]
    rows = np.where((rows == restart).any(axis=1)[:, None], 0, rows)
    bounds = _surface(rows, joined=True)
    if bounds is None:
        return None
    first, end, quality = _trimmed(rows, *bounds)
    if quality < _GOOD:
        return None
    top = int(rows[first:end].max()) + 1
    return Corners(scalar, order, offset + first * size, end - first + 2, "strip", top, quality)  # type: ignore[arg-type]


def have_area(triangles: AnyArray) -> AnyArray:
    """Which triangles have three corners."""
    a, b, c = triangles.T
    return (a != b) & (b != c) & (a != c)


def edge_keys(triangles: AnyArray) -> tuple[AnyArray, AnyArray]:
    """Each edge (t * 3) as one number, and as the number of its other direction."""
    ahead = triangles.reshape(-1)
    behind = triangles[:, [1, 2, 0]].reshape(-1)
    return (ahead << 32) | behind, (behind << 32) | ahead


def _surface(triangles: AnyArray, *, joined: bool = False) -> tuple[int, int] | None:
    """The longest stretch of triangles that touch others of it; where strips are `joined`, some have no area."""
    proper = have_area(triangles)
    if not proper.any():
        return None
    edges, others = edge_keys(triangles[proper])
    touching = np.zeros(len(triangles), bool)
    touching[proper] = _found_in(np.sort(others), edges).reshape(-1, 3).any(axis=1)
    if touching.mean() < 0.2:
        return None
    # One that stands alone among others is one of them; two in a row are the end.
    good = _bridged(touching | (_bridged(touching, MOST_JOINING) & ~proper) if joined else touching, 1)
    ends = stretches(good)
    first, end = max(ends.tolist(), key=lambda one: one[1] - one[0])
    return (first, end) if end - first >= _LEAST // 3 else None


def _bridged(good: AnyArray, most: int) -> AnyArray:
    """The same with holes of up to `most` filled, where something stands on both sides."""
    places = np.flatnonzero(good)
    filled = good.copy()
    for number in np.flatnonzero((np.diff(places) > 1) & (np.diff(places) <= most + 1)).tolist():
        filled[places[number] : places[number + 1]] = True
    return filled


def _trimmed(triangles: AnyArray, first: int, end: int) -> tuple[int, int, float]:
    """The stretch without what does not belong to its surface at both ends, and its quality."""
    quality = _quality(triangles[first:end])
    while quality > _GOOD / 3:
        pieces = [1 << n for n in range(int(end - first).bit_length() - 1)]
        tries = [cut for piece in pieces for cut in ((first + piece, end), (first, end - piece))]
        rated = [(_quality(triangles[a:b]), a, b) for a, b in tries if b - a >= _LEAST // 3]
        better = max(rated, key=lambda one: _worth(one[0], one[2] - one[1]), default=(0.0, first, end))
        if _worth(better[0], better[2] - better[1]) <= _GAIN * _worth(quality, end - first):
            break
        quality, first, end = better
    return first, end, quality


def _worth(quality: float, count: int) -> float:
    """What a run of corners is worth beside others: long ones more, but not when they are worse."""
    return float(quality**6 * count**0.75)


def _quality(triangles: AnyArray) -> float:
    """How much like a surface, 0 to 1."""
    proper = have_area(triangles)
    share, triangles = proper.mean(), triangles[proper]
    if len(triangles) < 4:
        return 0.0
    edges, others = (np.sort(keys) for keys in edge_keys(triangles))
    matched = _found_in(others, edges).mean()
    once = _distinct(edges) / len(edges)
    used = _distinct(np.sort(triangles, axis=None)) / (int(triangles.max()) + 1)
    return float(matched * used * once * min(1.0, 0.5 + share))


def _found_in(ordered: AnyArray, wanted: AnyArray) -> AnyArray:
    """Which numbers (n,) are among ascending ones: twice as fast as to look them up in a table of hashes."""
    found: AnyArray = ordered[np.minimum(np.searchsorted(ordered, wanted), len(ordered) - 1)] == wanted
    return found


def _distinct(ordered: AnyArray) -> int:
    """How many different numbers there are among ascending ones."""
    return 1 + int(np.count_nonzero(ordered[1:] != ordered[:-1]))

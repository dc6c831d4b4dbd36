"""Triangles, positions and what goes with them → the meshes that a file may hold, the likeliest first."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from pruxel.core.base.arrays import AnyArray, ByteArray, DoubleArray, as_floats, as_indices
from pruxel.core.base.context import Context
from pruxel.core.binary.elements import decode_floats, element
from pruxel.core.geometry.normals import vertex_normals
from pruxel.core.guessing.attributes import Rows, Stream, find_attributes
from pruxel.core.guessing.borders import standing_apart
from pruxel.core.guessing.corners import Corners, find_corners
from pruxel.core.guessing.ends import fitted_ends, grown_ends, stated_ends
from pruxel.core.guessing.numbers import Numbers, read_numbers
from pruxel.core.guessing.places import SCALARS, Place, find_places, plausible, values_at

_LISTS, _KEPT = 3, 8
_HINTED, _CHAINS, _JUDGED, _ROWS = 60, 60, 30, 5
_MEASURED, _CLOSE = 400, 1.2
_SHIFTS = 48
_SUREST = 0.99
_SURE = 8.0  # a score with which nobody needs to look further
_STORED = {"f32": "f32x3", "f16": "f16x3", "i16": "snorm16x3", "u16": "unorm16x3"}
_SCALAR_OF = {stored: scalar for scalar, stored in _STORED.items()}
_PREFERENCE = {"f32": 0.5, "f16": 0.1, "i16": 0.15, "u16": 0.1}
_PAD = 16
_FACING = 0.5  # of the normals' length must lie along the surface's, to tell its side
_DIRECTIONS = 4.5  # what it takes away that all points have the same length, as normals have
_SHARE = 0.96  # of the numbers of positions must be such


@dataclass(frozen=True)
class MeshGuess:
    """A mesh that may stand in a file: `vertices` of `streams`, the first being positions, and its `corners`.

    `score` orders guesses of one file; `confidence` 0 to 1; `reasons` in words.
    """

    order: str
    vertices: int
    streams: tuple[Stream, ...]
    corners: Corners
    score: float
    confidence: float
    reasons: tuple[str, ...]


def guess_meshes(data: ByteArray, context: Context) -> list[MeshGuess]:
    """The likely meshes, the best first; data (n,) uint8. Raises `CancelledError` when asked to stop."""
    found: list[MeshGuess] = []
    explained: list[tuple[int, int]] = []
    lists = find_corners(data)[:_LISTS]
    for corners, _ in context.part(0.2, 1.0).each(lists, lambda one: f"triangles at byte {one.offset:,}"):
        if any(corners.offset < end and first < corners.end for first, end in explained):
            continue  # it lies in what is sure already, read in another way
        guesses = list(_on(data, corners))
        found += guesses
        best = max(guesses, key=lambda one: one.score, default=None)
        if best is not None and best.score >= _SURE:
            rows = best.streams[0]
            explained.append((rows.offset, rows.offset + best.vertices * rows.stride))
            explained.append((best.corners.offset, best.corners.end))
    found.sort(key=lambda one: -one.score)
    return _distinct(found)[:_KEPT]


def _distinct(found: list[MeshGuess]) -> list[MeshGuess]:
    """Of guesses that show the same, the first; of one place read as several types, the best two at most.

    Where two take the same corners, only one can be right: the worse one is as unlikely as it is worse.
    """
    kept: dict[tuple[object, ...], list[MeshGuess]] = {}
    for one in found:
        place = one.streams[0]
        same = kept.setdefault((place.offset, place.stride, one.corners.offset // 8, one.corners.kind), [])
        if not same or (len(same) == 1 and same[0].streams[0].type != place.type):
            same.append(one)
    ranked = sorted((one for same in kept.values() for one in same), key=lambda one: -one.score)
    sure: list[MeshGuess] = []
    for one in ranked:
        better = next((other for other in sure if _overlap(one.corners, other.corners)), None)
        if better is not None:
            rest = better.confidence * float(np.exp(one.score - better.score))
            one = replace(one, confidence=round(min(one.confidence, rest), 3))  # noqa: PLW2901
        sure.append(one)
    return sure


def _overlap(one: Corners, other: Corners) -> bool:
    return one.offset < other.end and other.offset < one.end


def _on(data: ByteArray, corners: Corners) -> Iterator[MeshGuess]:
    """The meshes that a run of corners may belong to."""
    numbers = read_numbers(data, corners.order, corners.offset)
    corners = grown_ends(data, corners)
    corners, stated = stated_ends(data, corners, numbers)
    edges = _edges(corners.triangles(data))
    places = numbers.before(corners.offset, corners.count, corners.count // 3, corners.vertices)
    hinted, anywhere = find_places(
        data, corners.order, edges, corners.vertices, (corners.offset, corners.end), places.values()
    )
    best = 0.0
    for place in _likely(hinted, _HINTED):
        guess = _judged(data, place, corners, numbers, edges, stated=stated)
        if guess is not None:
            best = max(best, guess.score)
            yield guess
    if best < _SURE:
        moved = [
            one for place in _likely(anywhere, _CHAINS) for one in _best_rows(data, place, corners, edges, numbers)
        ]
        moved.sort(key=lambda one: -one[0])
        judged = list[MeshGuess]()
        for place in list(dict.fromkeys(one for _, one in moved))[:_JUDGED]:
            guess = _judged(data, place, corners, numbers, edges, stated=stated)
            if guess is not None:
                judged.append(guess)
        yield from judged
        best_one = max(judged, key=lambda one: one.score, default=None)
        place_by_normals = None if best_one is None else _shifted_by_normals(data, best_one, corners)
        if place_by_normals is not None:
            guess = _judged(data, place_by_normals, corners, numbers, edges, stated=stated)
            if guess is not None:
                yield guess


def _likely(places: list[Place], most: int) -> list[Place]:
    """The places to look at more closely."""
    return sorted(places, key=lambda one: np.log(one.cost) - _PREFERENCE[one.type])[:most]


def _edges(triangles: AnyArray) -> AnyArray:
    """Pairs of joined vertices (e, 2) by chance, some of the first and of the last vertex behind the first few."""
    pairs = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]]])
    pairs = pairs[np.random.default_rng(1).permutation(len(pairs))]  # the same file, the same guesses
    ends = (pairs == 0).any(axis=1) | (pairs == triangles.max()).any(axis=1)
    return np.concatenate([pairs[:16], pairs[ends][:16], pairs[16:]])


def _cost(points: DoubleArray, edges: AnyArray) -> float:
    """How far joined points are apart over how far others are, over the axes."""
    a, b = points[edges[:, 0]], points[edges[:, 1]]
    others = np.abs(a - np.roll(b, max(len(b) // 2, 1), axis=0)).mean(axis=0)
    joined = np.abs(a - b).mean(axis=0)
    return float(np.where(others > 0, joined / np.maximum(others, 1e-30), 0.5).mean())


def _best_rows(
    data: ByteArray, place: Place, corners: Corners, edges: AnyArray, numbers: Numbers
) -> list[tuple[float, Place]]:
    """The likeliest rows at which the first vertex stands, with what they are worth.

    Shifted by a few rows, a surface looks nearly as good.
    """
    found = []
    few = edges[:_MEASURED]
    for shift in range(-_SHIFTS, _SHIFTS + 1):
        moved = replace(place, offset=place.offset + shift * place.stride)
        points = _points(data, moved, corners)
        if points is not None:
            found.append(replace(moved, cost=_cost(points, few)))
    least = min((one.cost for one in found), default=1.0)
    rated = [
        (_PREFERENCE[one.type] - np.log(max(one.cost, 1e-3)) + _standing(data, one, corners, numbers)[0], one)
        for one in found
        if one.cost < _CLOSE * least
    ]
    return sorted(rated, key=lambda one: -one[0])[:_ROWS]


def _shifted_by_normals(data: ByteArray, guess: MeshGuess, corners: Corners) -> Place | None:
    """The row at which the positions agree best with their normals, which stand as many rows further.

    None where that is where they are, or where there are no normals.
    """
    agreements: dict[int, float] = {}
    for shift in range(-_SHIFTS, _SHIFTS + 1):
        dots = _along_normals(data, guess, corners, shift)
        if dots is not None:
            agreements[shift] = float(np.abs(dots).mean())
    best = max(agreements, key=agreements.__getitem__, default=0)
    if best == 0 or agreements[best] <= agreements.get(0, 0.0):
        return None
    position = guess.streams[0]
    return Place(_SCALAR_OF[position.type], guess.order, position.offset + best * position.stride, position.stride, 0.0)


def _along_normals(data: ByteArray, guess: MeshGuess, corners: Corners, shift: int) -> AnyArray | None:
    """How far the surface's normals lie along the given ones, (n,) from -1 to 1, all rows moved by `shift`.

    None where there are no normals, or where the moved rows do not fit.
    """
    normal = next((one for one in guess.streams if one.attribute == "normal"), None)
    kind = None if normal is None else element(normal.type)
    if normal is None or kind is None:
        return None
    position, count = guess.streams[0], corners.vertices
    offset, first = position.offset + shift * position.stride, normal.offset + shift * normal.stride
    points = _points(data, Place(_SCALAR_OF[position.type], guess.order, offset, position.stride, 0.0), corners)
    if points is None or first < 0 or first + (count - 1) * normal.stride + kind.size > len(data):
        return None
    rows = np.lib.stride_tricks.as_strided(data[first:], (count, kind.size), (normal.stride, 1), writeable=False)
    given = decode_floats(np.ascontiguousarray(rows), kind, 0, guess.order)[:, :3]
    scaled = as_floats(points / max(float(np.abs(points).max()), 1e-30), 3)
    surface = vertex_normals(scaled, as_indices(corners.triangles(data)))
    # What stands in moved rows may be any number; no direction is longer than one.
    return (np.clip(np.nan_to_num(given), -1, 1) * surface).sum(axis=1)


def winding_of(data: ByteArray, guess: MeshGuess) -> Literal["counter_clockwise", "clockwise"] | None:
    """Which way the corners go round, seen from where the given normals point to; None where nothing tells."""
    dots = _along_normals(data, guess, guess.corners, 0)
    if dots is None or abs(float(dots.mean())) < _FACING:
        return None
    return "counter_clockwise" if float(dots.mean()) > 0 else "clockwise"


def _points(data: ByteArray, place: Place, corners: Corners) -> DoubleArray | None:
    """The positions of all vertices, None where some are none or they do not fit beside the corners."""
    span = (corners.vertices - 1) * place.stride + 3 * SCALARS[place.type][1]
    if place.offset < 0 or place.offset + span > len(data):
        return None
    if place.offset < corners.end and place.offset + span > corners.offset:
        return None
    points = values_at(data, place, corners.vertices)
    with np.errstate(invalid="ignore"):
        fine = plausible(points)
        first_and_last = fine[[0, -1]].any(axis=1).all()
    return np.where(fine, points, 0.0) if first_and_last and fine.mean() > _SHARE else None


def _standing(data: ByteArray, place: Place, corners: Corners, numbers: Numbers) -> tuple[float, tuple[str, ...]]:
    """How well a start goes with what stands around it, and why."""
    value, reasons = standing_apart(data, place.offset, place.stride, corners.vertices, place.order), []
    start, end = place.offset, place.offset + corners.vertices * place.stride
    stated = numbers.before(min(start, corners.offset), corners.vertices, corners.count, corners.count // 3).place(
        start
    )
    if stated:
        value += 1.5
        reasons.append(f"byte {stated.offset} says that something begins at {start:,}")
    for one, other, words in (
        (end, corners.offset, "the triangles follow the vertices"),
        (corners.end, start, "the vertices follow the triangles"),
        (end, len(data), "the vertices end with the file"),
    ):
        gap = other - one
        if gap == 0 or (0 < gap < _PAD and not data[one:other].any()):
            value += 1.0 if gap == 0 else 0.8
            reasons.append(words)
            break
    return value, tuple(reasons)


def _judged(
    data: ByteArray, place: Place, corners: Corners, numbers: Numbers, edges: AnyArray, *, stated: bool
) -> MeshGuess | None:
    """The guess with everything that speaks for it; `stated` tells that the number of corners is known."""
    points = _points(data, place, corners)
    if points is None:
        return None
    place = replace(place, cost=_cost(points, edges[:4000]))
    corners = corners if stated else fitted_ends(data, points, corners)
    value, around = _standing(data, place, corners, numbers)
    reasons = [
        f"{corners.quality:.0%} like a surface: edges of triangles have their other side",
        f"joined vertices are {1 / max(place.cost, 1e-3):.0f} times nearer than others",
        *around,
    ]
    numbers = numbers.before(min(place.offset, corners.offset))
    counts = {"vertices": corners.vertices, "corners": corners.count, "triangles": corners.count // 3}
    for what, count in counts.items():
        told = numbers.by_value.get(count)
        if told is not None:
            value += 0.5
            reasons.append(f"byte {told.offset} says {count:,}, the number of {what}")
    streams = _streams(data, place, corners, points, edges)
    value += _PREFERENCE[place.type] - np.log(max(place.cost, 1e-3)) + 2 * corners.quality - _uneven(points, edges)
    value += 0.3 * (place.offset % SCALARS[place.type][1] == 0) + 0.3 * (corners.offset % 2 == 0)
    names = [one.attribute for one in streams[1:]]
    if _blocks_end_at(data, streams, corners):
        value += 1.0 + 0.3 * len(names)
        reasons.append("block stands behind block up to the triangles, or to the end")
    if _unit(points) or (
        SCALARS[place.type][1] == 2 and _unit(values_at(data, replace(place, type="i16"), len(points)))
    ):
        value -= _DIRECTIONS
    if "normal" in names:
        angle_rad = float(np.arccos(streams[1 + names.index("normal")].sure))
        value += max(2.0 - 4.0 * angle_rad, 0.0)
        reasons.append("other numbers stand on that surface as unit vectors")
    value += 0.4 * sum(one.sure for one in streams if one.attribute in {"uv0", "weights"})
    confidence = min(_SUREST, float(1 / (1 + np.exp(-(value - 4.5)))))
    return MeshGuess(
        place.order, corners.vertices, tuple(streams), corners, float(value), round(confidence, 3), tuple(reasons)
    )


def _blocks_end_at(data: ByteArray, streams: list[Stream], corners: Corners) -> bool:
    """Whether attributes in blocks of their own fill all the room from the positions to the corners, or to the end."""
    count, behind = corners.vertices, streams[0].offset + corners.vertices * streams[0].stride
    blocks = [one for one in streams[1:] if one.offset >= behind]
    if not blocks:
        return False
    end = max(one.offset + count * one.stride for one in blocks)
    return any(end <= other < end + _PAD and not data[end:other].any() for other in (corners.offset, len(data)))


def _uneven(points: DoubleArray, edges: AnyArray) -> float:
    """How much longer the longest edges are than usual ones: numbers read as another type have jumps."""
    long = np.linalg.norm(points[edges[:4000, 0]] - points[edges[:4000, 1]], axis=1)
    usual, longest = np.quantile(long, [0.5, 0.98])
    return 0.4 * float(np.log(max(longest, 1e-30) / max(usual, 1e-30)))


def _unit(points: DoubleArray) -> bool:
    """Whether the points are directions, of length 1 or the largest of their type."""
    length = np.linalg.norm(points, axis=1)
    return bool(length.std() < 0.01 * length.mean()) and any(
        abs(length.mean() / one - 1) < 0.01 for one in (1, 127, 32767)
    )


def _streams(data: ByteArray, place: Place, corners: Corners, points: DoubleArray, edges: AnyArray) -> list[Stream]:
    """Positions, and whatever else stands in the same vertices, or in blocks right behind."""
    name = _STORED[place.type]
    size = 3 * SCALARS[place.type][1]
    found = [Stream("position", name, place.offset, place.stride, 1.0)]
    count = corners.vertices
    scale = max(float(np.abs(points).max()), 1e-30)
    normals = vertex_normals(as_floats(points / scale, 3), as_indices(corners.triangles(data)))
    pairs = edges[:2000]
    rest = place.stride - size
    if rest >= 4 and place.offset + count * place.stride <= len(data):
        rows = data[place.offset : place.offset + count * place.stride].reshape(count, place.stride)
        found += find_attributes(
            Rows(rows, place.offset, place.stride, place.order, normals, pairs), [(size, place.stride)]
        )
    else:
        found += _behind(data, place, corners, normals, pairs)
    return found


def _behind(data: ByteArray, place: Place, corners: Corners, normals: AnyArray, pairs: AnyArray) -> Iterator[Stream]:
    """Attributes in blocks of their own behind the positions, with at most a few zeros between; each but once."""
    at, count, known = place.offset + corners.vertices * place.stride, corners.vertices, set[str]()
    while True:
        block = _next_block(data, at, count, place.order, normals, pairs)
        if block is None or block[0].attribute in known:
            return
        stream, at = block
        known.add(stream.attribute)
        yield stream


def _next_block(
    data: ByteArray, at: int, count: int, order: str, normals: AnyArray, pairs: AnyArray
) -> tuple[Stream, int] | None:
    """The surest attribute in a block that begins at `at`, or behind a few zeros, and the byte behind that block."""
    found: list[tuple[Stream, int]] = []
    for start in dict.fromkeys((at, -(-at // 4) * 4, -(-at // 16) * 16)):
        if data[at:start].any():
            continue
        for width in (12, 8, 4, 16):
            if start + width * count > len(data):
                continue
            rows = data[start : start + width * count].reshape(count, width)
            streams = find_attributes(Rows(rows, start, width, order, normals, pairs), [(0, width)])
            found += [(one, start + width * count) for one in streams if one.offset == start]
    return max(found, key=lambda one: one[0].sure, default=None)

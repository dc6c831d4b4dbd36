"""Animations → clips: the placements of nodes and the shares of shapes, as keys."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cache

import numpy as np

from pruxel.core.base.arrays import DoubleArray
from pruxel.core.formats.collada.curves import Curve, curve_of
from pruxel.core.formats.collada.document import Document
from pruxel.core.formats.collada.moves import Move, matrices, matrix_of, moves_of
from pruxel.core.formats.resampled import channel_of, counted_from, placed_channels, refined, with_jumps
from pruxel.core.formats.xml import Tag
from pruxel.core.geometry.transforms import turns_of
from pruxel.core.scene.model import Clip, ClipChannel, Interpolation

_MEMBERS = {"X": 0, "Y": 1, "Z": 2, "W": 3, "ANGLE": 3, "R": 0, "G": 1, "B": 2, "A": 3, "U": 0, "V": 1}
_PLACES = re.compile(r"\((\d+)\)")
_DEEPEST = 200


@dataclass(eq=False)
class _Moved:
    """What curves move in one clip: of nodes by move and component (-1 for all), of shapes' sources by place."""

    nodes: dict[Tag, list[tuple[int, int, Curve]]] = field(default_factory=dict)
    shapes: dict[Tag, dict[int, Curve]] = field(default_factory=dict)


@dataclass(frozen=True, eq=False)
class Shaped:
    """Nodes whose shapes a source weighs, and their shares at rest."""

    nodes: tuple[int, ...]
    rest: tuple[float, ...]


def clips_of(document: Document, numbers: Mapping[Tag, Sequence[int]], shaped: Mapping[Tag, Shaped]) -> list[Clip]:
    """All clips. Where the document names none, everything that moves is one.

    `numbers` are the nodes that each of the document's became, `shaped` those that sources of shares speak of.
    """
    named = list(document.library("library_animation_clips", "animation_clip"))
    if named:
        return [clip for tag in named if (clip := _named(document, tag, numbers, shaped)) is not None]
    whole = list(document.library("library_animations", "animation"))
    title = (whole[0].get("name") or whole[0].get("id") or "clip") if len(whole) == 1 else "clip"
    channels = _channels(document, whole, numbers, shaped, None)
    return [Clip(title, tuple(channels))] if channels else []


def _named(
    document: Document, tag: Tag, numbers: Mapping[Tag, Sequence[int]], shaped: Mapping[Tag, Shaped]
) -> Clip | None:
    moving = [found for one in tag.all("instance_animation") if (found := document.target(one)) is not None]
    start, end = (_seconds(tag.get(key)) for key in ("start", "end"))
    span = None if end is None or end <= (start or 0.0) else (start or 0.0, end)
    channels = _channels(document, moving, numbers, shaped, span)
    return Clip(tag.get("name") or tag.get("id") or "clip", tuple(channels)) if channels else None


def _seconds(text: str) -> float | None:
    try:
        value = float(text)
    except ValueError:
        return None
    return value if abs(value) < 1e6 else None


def _animations(tags: Sequence[Tag]) -> Iterator[Tag]:
    seen: set[Tag] = set()
    for tag in tags:
        for one in tag.under():
            if one.name == "animation" and one not in seen:
                seen.add(one)
                yield one


def _channels(
    document: Document,
    animations: Sequence[Tag],
    numbers: Mapping[Tag, Sequence[int]],
    shaped: Mapping[Tag, Shaped],
    span: tuple[float, float] | None,
) -> list[ClipChannel]:
    moved = _Moved()
    moves = cache(lambda node: moves_of(document, node))
    passed = 0
    for animation in _animations(animations):
        for tag in animation.all("channel"):
            sampler = document.target(tag, "source")
            curve = None if sampler is None else curve_of(document, sampler)
            if curve is not None and not _take(document, tag.get("target"), curve, moved, shaped, moves):
                passed += 1
    if passed:
        document.notes.append(f"{document.file}: not taken over: {passed:,} curves of what has no place in a clip")
    found: list[ClipChannel] = []
    for node, curves in moved.nodes.items():
        for number in numbers.get(node, ()):
            found += _placements(number, moves(node), curves, span)
    for source, columns in moved.shapes.items():
        found += _shapes(shaped[source], columns, span)
    return counted_from(found, 0.0 if span is None else span[0])


def _take(
    document: Document,
    target: str,
    curve: Curve,
    moved: _Moved,
    shaped: Mapping[Tag, Shaped],
    moves_at: Callable[[Tag], list[Move]],
) -> bool:
    """Note what a curve moves, by the address of its target: id/sid.MEMBER, id/sid(i)(j), id(i)."""
    path, last = target.rpartition("/")[::2]
    places = [int(place) for place in _PLACES.findall(last)]
    plain = _PLACES.sub("", last)
    if not path:
        source = document.find(plain)
        if source in shaped and source is not None:
            column = moved.shapes.setdefault(source, {})
            if places:
                column[places[0]] = curve
            else:
                column.update({k: _column(curve, k) for k in range(curve.values.shape[1])})
            return True
        return False
    sid, _, member = plain.partition(".")
    owner = _owner(document, path)
    if owner is None:
        return False
    moves = moves_at(owner)
    number = next((n for n, move in enumerate(moves) if move.sid and move.sid in {plain, sid}), None)
    if number is None:
        return False
    component = -1
    if moves[number].sid == plain:
        member = ""
    if member:
        component = _MEMBERS.get(member.upper(), -2)
    elif places:
        component = places[0] if len(places) == 1 else 4 * places[0] + places[1]
    width = len(moves[number].values)
    if component == -1 and curve.values.shape[1] == 1 and moves[number].kind == "rotate":
        component = 3
    fits = curve.values.shape[1] >= width if component == -1 else 0 <= component < width
    if fits:
        moved.nodes.setdefault(owner, []).append((number, component, curve))
    return fits


def _column(curve: Curve, place: int) -> Curve:
    return Curve(
        curve.times,
        curve.values[:, place : place + 1],
        curve.how,
        curve.leaving[:, place : place + 1],
        curve.arriving[:, place : place + 1],
    )


def _owner(document: Document, path: str) -> Tag | None:
    """The node that an address leads to: an id, then names within."""
    first, *rest = path.split("/")
    here = document.find(first)
    for name in rest[:_DEEPEST]:
        here = None if here is None else next((tag for tag in here.under() if tag.get("sid") == name), None)
    return here if here is not None and here.name == "node" else None


def _times(curves: Sequence[Curve], span: tuple[float, float] | None) -> DoubleArray:
    times = np.unique(np.concatenate([curve.times for curve in curves]))
    if span is not None:
        inside = times[(times > span[0]) & (times < span[1])]
        times = np.concatenate([[span[0]], inside, [span[1]]])
    return times


def _how(curves: Sequence[Curve], times: DoubleArray) -> tuple[Interpolation, DoubleArray]:
    """Jumps alone are kept as such; those among other curves get a key just before them."""
    if len(times) > 1 and all(curve.steps for curve in curves):
        return "STEP", times
    jumps = with_jumps(times, [c.times[1:][c.how[:-1] == 0] for c in curves])
    # A clip may end before its curves do.
    return "LINEAR", jumps[jumps <= times[-1]]


def _placements(
    number: int, moves: Sequence[Move], curves: Sequence[tuple[int, int, Curve]], span: tuple[float, float] | None
) -> list[ClipChannel]:
    """Translation, rotation and scale of a node, those that change."""
    listed = [curve for _, _, curve in curves]
    how, times = _how(listed, _times(listed, span))

    def split(at: DoubleArray) -> tuple[DoubleArray, DoubleArray, DoubleArray]:
        rows = [np.repeat(move.values[None], len(at), axis=0) for move in moves]
        for place, component, curve in curves:
            values = curve.at(at)
            if component < 0:
                rows[place][:] = values[:, : rows[place].shape[1]]
            else:
                rows[place][:, component] = values[:, 0]
        return turns_of(matrices([move.kind for move in moves], rows, len(at)))

    # Between keys of whole matrices a turn is meant, not what lies between their numbers.
    whole = any(moves[place].kind == "matrix" for place, _, _ in curves)
    rest = turns_of(matrix_of(moves)[None])
    return placed_channels(number, times, split, rest, how, exact=whole or how == "STEP")


def _shapes(shaped: Shaped, columns: Mapping[int, Curve], span: tuple[float, float] | None) -> list[ClipChannel]:
    usable = {place: curve for place, curve in columns.items() if place < len(shaped.rest)}
    if not usable:
        return []
    how, times = _how(list(usable.values()), _times(list(usable.values()), span))

    def values(at: DoubleArray) -> DoubleArray:
        return np.stack(
            [usable[k].at(at)[:, 0] if k in usable else np.full(len(at), r) for k, r in enumerate(shaped.rest)], axis=1
        )

    own = times if how == "STEP" else refined(times, values, turn=False)
    return [channel_of(number, "weights", own, values(own), how) for number in shaped.nodes]

"""Everything that bytes of an unknown format may be, ranked, each with its reasons and, where it can be, its layout."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from pruxel.core.base.arrays import ByteArray
from pruxel.core.base.context import Context
from pruxel.core.binary.conventions import Conventions
from pruxel.core.guessing.layouts import layout_of_mesh, layout_of_picture, layout_within
from pruxel.core.guessing.meshes import MeshGuess, guess_meshes
from pruxel.core.guessing.pictures import PictureGuess, guess_pictures
from pruxel.core.guessing.regions import Packed, Region, RegionKind, find_packed, find_places, find_texts, find_turns
from pruxel.core.native.codecs import decompress

Kind = Literal["mesh", "picture"] | RegionKind
MOST_BYTES = 8 << 20
_INNER = 2


@dataclass(frozen=True)
class Span:
    """Bytes `first` to `end`, the one behind the last, and what they are."""

    name: str
    first: int
    end: int


@dataclass(frozen=True)
class Guess:
    """One thing that a file may hold; `layout` is YAML text, empty where nothing can be shown of it."""

    kind: Kind
    title: str
    confidence: float
    reasons: tuple[str, ...]
    spans: tuple[Span, ...]
    layout: str = ""


@dataclass(frozen=True)
class Guesses:
    """What was found, the likeliest first; only the first `looked_at` of `size` bytes were looked at."""

    found: tuple[Guess, ...]
    looked_at: int
    size: int


def guess(data: memoryview, path: str, context: Context, defaults: Conventions | None = None) -> Guesses:
    """Guess what a file holds; `path` names the layouts. Raises `CancelledError` when asked to stop.

    `defaults` are what the game's files follow; a layout says where this one differs.
    """
    part, usual = np.frombuffer(data[:MOST_BYTES], np.uint8), defaults or Conventions()
    found = list(_plain(part, path, context.part(0.0, 0.6), usual))
    packed = find_packed(part)
    found += [_of_region(one) for one in packed]
    largest = sorted(packed, key=lambda one: -one.size)[:_INNER]
    for one, within in context.part(0.6, 1.0).each(largest, lambda one: one.said):
        found += _inside(one, data, path, within, usual)
    found.sort(key=lambda one: -one.confidence)
    return Guesses(tuple(found), len(part), len(data))


def _plain(data: ByteArray, path: str, context: Context, usual: Conventions) -> Iterator[Guess]:
    """What stands in the bytes as they are."""
    for mesh in guess_meshes(data, context):
        yield _of_mesh(mesh, data, path, usual)
    for picture in guess_pictures(data):
        yield _of_picture(picture, data, path)
    regions = find_texts(data)
    for order in ("<", ">"):
        regions += find_places(data, order) + find_turns(data, order)
    seen: list[Region] = []
    for one in sorted(regions, key=lambda one: -one.confidence):
        if not any(one.kind == other.kind and one.first < other.end and other.first < one.end for other in seen):
            seen.append(one)
            yield _of_region(one)


def _inside(one: Packed, data: memoryview, path: str, context: Context, usual: Conventions) -> Iterator[Guess]:
    """What stands in compressed bytes once they are unpacked."""
    raw = decompress(one.codec, data[one.first : one.end], one.size, path, one.first)
    whole = np.frombuffer(data, np.uint8)
    for found in _plain(np.frombuffer(raw[:MOST_BYTES], np.uint8), path, context, usual):
        if found.layout:
            layout = layout_within(found.layout, one.codec, one.first, one.end - one.first, one.size, whole, path)
            spans = (Span(one.codec, one.first, one.end),)
            reasons = (f"inside {one.said}", *found.reasons)
            yield replace(found, layout=layout, spans=spans, reasons=reasons)


def _of_mesh(found: MeshGuess, data: ByteArray, path: str, usual: Conventions) -> Guess:
    spans = [
        Span(one.attribute, one.offset, min(one.offset + found.vertices * one.stride, len(data)))
        for one in found.streams
        if one is found.streams[0] or not 0 <= one.offset - found.streams[0].offset < found.streams[0].stride
    ]
    spans[0] = replace(spans[0], name="vertices")
    spans.append(Span("corners", found.corners.offset, found.corners.end))
    beside = ", ".join(f"{one.attribute} {one.type}" for one in found.streams)
    many = found.corners.count // 3 if found.corners.kind == "list" else found.corners.count - 2
    kind = "triangles" if found.corners.kind == "list" else "triangles in a strip"
    endian = "" if found.order == "<" else ", big endian"
    title = f"{many:,} {kind} on {found.vertices:,} vertices of {found.streams[0].stride} bytes ({beside}){endian}"
    layout = layout_of_mesh(found, data, path, usual)
    return Guess("mesh", title, found.confidence, found.reasons, tuple(spans), layout)


def _of_picture(found: PictureGuess, data: ByteArray, path: str) -> Guess:
    title = f"A picture of {found.width} x {found.height}, {found.format}"
    span = Span("texels", found.offset, len(data))
    return Guess("picture", title, found.confidence, found.reasons, (span,), layout_of_picture(found, data, path))


def _of_region(one: Region) -> Guess:
    span = Span(one.kind, one.first, one.end)
    return Guess(one.kind, one.said, one.confidence, (), (span,))

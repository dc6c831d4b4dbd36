"""Many small parts decoded at once: what takes as long for ten vertices as for ten thousand is done once for all."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator, Sequence
from typing import NamedTuple

import numpy as np

from pruxel.core.base.arrays import AnyArray, all_finite, starts_of
from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.binary.elements import Element, element
from pruxel.core.binary.functions.arrays import elements_of, how_many_fit
from pruxel.core.binary.records import Record
from pruxel.core.extract import conventions as turn
from pruxel.core.extract.corners import Triangles, base_of, corner_run
from pruxel.core.extract.elements import ElementSpec, Run, Vertices, runs_of
from pruxel.core.extract.file import ParsedFile
from pruxel.core.extract.primitives import Surface, surface_of

_FEWEST = 8
# What is kept of one part keeps those beside it in its pool: pools stay small.
_LARGEST_PART, _LARGEST_POOL = 4_096, 65_536
_SURFACE = {"position", "normal", "tangent", "uv0", "uv1", "uv2", "uv3", "color", "color1"}
# How the vertices and corners of a part are read; parts of one kind may share a pool. By attribute: its element type,
# in which block, how far apart and from which byte of a vertex; last, the type of a corner.
_Kind = tuple[tuple[tuple[str, str, int, int, int], ...], str]


class _Small(NamedTuple):
    """A part that may go into a pool: the whole vertices in each of its blocks, and its corners."""

    number: int
    kind: _Kind
    vertices: int
    blocks: list[memoryview]
    corners: memoryview
    base: int


def pool_small(
    parts: Sequence[Record],
    vertices: Vertices | None,
    triangles: Triangles | None,
    file: ParsedFile,
    how: turn.Turning,
    context: Context,
) -> dict[int, Surface]:
    """The surfaces of parts by their number, as far as they are small, plain and without fault.

    All others are for who reads them one by one, and tells what is wrong with them.
    """
    if vertices is None or triangles is None or len(parts) < _FEWEST:
        return {}
    if not _lists_only(triangles) or not all(_as_stored(one) for one in vertices.elements.values()):
        return {}
    found: dict[int, Surface] = {}
    for pool in _pools(_small(parts, vertices, triangles, file)):
        context.check()
        found |= _decoded(pool, how, file.layout.endian)
    return found


def _lists_only(spec: Triangles) -> bool:
    """Whether the corners are plain lists in blocks of bytes."""
    others = (spec.restart, spec.flipped, spec.sizes, spec.keep, spec.group, spec.stride)
    return spec.data is not None and spec.shape == "list" and all(one is None for one in others)


def _as_stored(spec: ElementSpec) -> bool:
    """Whether an attribute is one of every vertex, and nothing is done to its numbers."""
    others = (spec.value, spec.index, spec.scale, spec.bias)
    return spec.per == "vertex" and all(one is None for one in others)


def _small(parts: Sequence[Record], vertices: Vertices, triangles: Triangles, file: ParsedFile) -> Iterator[_Small]:
    described = vertices.described is not None
    for number, part in enumerate(parts):
        with contextlib.suppress(InputError):
            runs = runs_of(part, vertices, file.entry)
            if described and not all(_as_stored(spec) for _, spec in runs.values()):
                continue
            corners = corner_run(part, triangles, file.entry)
            base = base_of(part, triangles, file.entry)
            small = _as_small(number, [(name, run) for name, (run, _) in runs.items()], corners, base)
            if small is not None:
                yield small


def _as_small(number: int, runs: list[tuple[str, Run]], corners: Run, base: int) -> _Small | None:
    """The part where it is one: its attributes, equally many, lie within vertices that are there as a whole."""
    count, indices = _number(runs[0][1]) if runs else 0, _number(corners)
    # Of a pool that several parts share each takes what it uses.
    if indices % 3 or not 0 < count <= min(_LARGEST_PART, 2 * indices) or indices > 4 * _LARGEST_PART:
        return None
    first: dict[int, int] = {}
    for _, run in runs:
        block = id(run.data)
        first[block] = min(first.get(block, run.offset), run.offset)
    blocks: dict[int, tuple[int, int, memoryview]] = {}
    elements = []
    for name, run in runs:
        block, stride = id(run.data), run.stride
        if block not in blocks:
            begin = first[block]
            blocks[block] = len(blocks), stride, run.data[begin : begin + count * stride]
        at, steps, whole = blocks[block]
        within = run.offset - first[block]
        if steps != stride or within + run.kind.size > stride or len(whole) < count * stride or _number(run) != count:
            return None
        elements.append((name, run.kind.name, at, stride, within))
    if not _SURFACE.issuperset(name for name, _ in runs) or "position" not in dict(runs):
        return None
    kind = tuple(elements), corners.kind.name
    listed = corners.data[corners.offset : corners.offset + indices * corners.kind.size]
    return _Small(number, kind, count, [whole for _, _, whole in blocks.values()], listed, base)


def _number(run: Run) -> int:
    """How many elements it holds; -1 where they are not there."""
    most = how_many_fit(run.data, run.kind, run.stride, run.offset) if run.offset >= 0 else 0
    number = most if run.count is None else run.count
    return number if 0 <= number <= most else -1


def _pools(small: Iterator[_Small]) -> Iterator[list[_Small]]:
    """Parts of one kind, as many as a pool holds."""
    pools: dict[_Kind, list[_Small]] = {}
    sizes: dict[_Kind, int] = {}
    for one in small:
        size = sizes.get(one.kind, 0) + one.vertices
        if size > _LARGEST_POOL:
            yield pools.pop(one.kind)
            size = one.vertices
        pools.setdefault(one.kind, []).append(one)
        sizes[one.kind] = size
    yield from pools.values()


def _decoded(pool: list[_Small], how: turn.Turning, endian: str) -> dict[int, Surface]:
    """Nothing at all where a corner or a number is wrong: which part's it is they find out who read them singly."""
    elements, corner = pool[0].kind
    index = _known(corner)
    counts = np.array([one.vertices for one in pool], np.int64)
    corner_counts = np.array([len(one.corners) // index.size for one in pool], np.int64)
    total = int(counts.sum())
    joined = [memoryview(b"".join(blocks)) for blocks in zip(*(one.blocks for one in pool), strict=True)]
    own = {
        name: elements_of(joined[block], _known(kind), total, stride, within, endian)
        for name, kind, block, stride, within in elements
    }
    stored = memoryview(b"".join(one.corners for one in pool))
    local = elements_of(stored, index, None, None, 0, endian).astype(np.int64)
    bases = np.array([one.base for one in pool], np.int64)
    if bases.any():
        local += np.repeat(bases, corner_counts)
    if not _within(local, np.repeat(counts, corner_counts)):
        return {}
    firsts = starts_of(counts)
    begins = np.repeat(firsts, corner_counts)
    surface = surface_of(own, (local + begins).reshape(-1, 3), how)
    if not all_finite(surface.positions):
        return {}
    # Corners that count among their own part's vertices again, in the order that they were turned to.
    indices = turn.turn_corners(local.reshape(-1, 3).astype(np.uint32), how)
    ends, faces = (firsts + counts).tolist(), np.cumsum(corner_counts // 3).tolist()
    found = {}
    begin = face = 0
    for one, end, last in zip(pool, ends, faces, strict=True):
        found[one.number] = surface.stretch(slice(begin, end), indices[face:last])
        begin, face = end, last
    return found


def _known(name: str) -> Element:
    found = element(name)
    assert found is not None
    return found


def _within(numbers: AnyArray, below: AnyArray) -> bool:
    return bool((numbers >= 0).all() and (numbers < below).all())

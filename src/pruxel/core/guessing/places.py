"""Where the positions of vertices stand whose triangles are known: where joined vertices are near each other."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numba
import numpy as np

from pruxel.core.base.arrays import AnyArray, ByteArray, DoubleArray, FloatArray

SCALARS = {"f32": ("f4", 4), "f16": ("f2", 2), "i16": ("i2", 2), "u16": ("u2", 2)}
_STRIDES = {
    4: [12, *range(14, 64, 2), *range(64, 132, 4)],
    2: [*range(6, 48, 2), *range(48, 68, 4)],
}
_NEAR = 0.5  # how far joined vertices are apart over how far any two are; 1 for numbers without order
_RARE = 30  # one number in so many may be none that positions have: what should be 0 is often nearly 0
_MEASURED, _MOST_TRIES, _SMALL, _MIDDLING, _ROWS = 240, 30_000_000, 1 << 14, 1 << 18, 64
_LEAST_FLOAT, _MOST_FLOAT = 2.0**-112, 2.0**40
_REFUSED = 1e30
_PADS = np.arange(16)


@dataclass(frozen=True)
class Place:
    """Three numbers of a type at byte `offset` of every `stride` bytes; `cost` is how far joined ones are apart."""

    type: str
    order: str
    offset: int
    stride: int
    cost: float


def plausible(values: AnyArray) -> AnyArray:
    """Which numbers are finite and of a size that positions have; other data read as floats is mostly not."""
    size = np.abs(values)
    return (size == 0) | ((size > _LEAST_FLOAT) & (size < _MOST_FLOAT))


def numbers_at_every_byte(data: ByteArray, scalar: str, order: str) -> FloatArray:
    """(phases, n // phases) float32: the number that begins at byte p + phases * k is [p, k].

    What no position is (not finite, or of a size that only other data read as floats has) becomes 1e30. Zeros stand
    behind the data.
    """
    code, size = SCALARS[scalar]
    whole = len(data) // size
    out = np.empty((size, whole), np.float32)
    padded = np.concatenate([data, np.zeros(size, np.uint8)])
    for phase in range(size):
        values = padded[phase : phase + whole * size].view(np.dtype(f"{order}{code}"))
        with np.errstate(invalid="ignore", over="ignore"):
            row = values.astype(np.float32)
            if code[0] == "f":
                row[~plausible(row)] = _REFUSED
        out[phase] = row
    return out


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _cost(numbers, size, offset, stride, edges, few):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """The mean over three axes of how far joined vertices are apart over how far others are; 9 for no positions."""
    total = 0.0
    flat, refused = 0, 0
    for axis in range(3):
        at = offset + axis * size
        joined, others, other = 0.0, 0.0, 0.0
        for e in range(few):
            place_a = at + stride * edges[e, 0]
            place_b = at + stride * edges[e, 1]
            a = numbers[place_a % size, place_a // size]
            b = numbers[place_b % size, place_b // size]
            if a > 1e29 or b > 1e29:
                refused += 1
                if (refused - 1) * _RARE > few:
                    return 9.0
                continue
            joined += abs(a - b)
            if e:
                others += abs(a - other)
            other = b
        if others > 0:
            total += joined / others
        else:
            flat += 1
            total += 0.5
        if flat > 1:
            return 9.0
    return total / 3


@numba.njit(cache=True, nogil=True)
def _search(numbers, size, last, stride, edges, starts, near, out):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Write the starts up to `last` with a low cost into `out` (n, 2) as start, cost; returns how many there are."""
    found = 0
    many = edges.shape[0]
    for n in range(starts.shape[0]):
        start = starts[n]
        if start > last:
            continue
        if _cost(numbers, size, start, stride, edges, min(8, many)) > 2.5 * near:
            continue
        if _cost(numbers, size, start, stride, edges, min(32, many)) > 1.5 * near:
            continue
        cost = _cost(numbers, size, start, stride, edges, many)
        if cost < near and found < out.shape[0]:
            out[found, 0], out[found, 1] = start, cost
            found += 1
    return found


def find_places(
    data: ByteArray, order: str, edges: AnyArray, vertices: int, taken: tuple[int, int], hinted: AnyArray
) -> tuple[list[Place], list[Place]]:
    """Where positions of `vertices` vertices may stand outside of the bytes `taken`: where hinted at, and anywhere.

    edges: (e, 2) int64, pairs of joined vertices, by chance. hinted: (h,) int64, bytes where something may begin. Where
    a file is so large that not every byte can be tried, only those are.
    """
    measured = edges[:_MEASURED]
    ends = np.array([taken[0], len(data)])

    def of_type(scalar: str) -> tuple[list[Place], list[Place]]:
        stated, anywhere = list[Place](), list[Place]()
        size = SCALARS[scalar][1]
        numbers, out = numbers_at_every_byte(data, scalar, order), np.empty((8192, 2))
        for stride in _STRIDES[size]:
            length, span = len(data), (vertices - 1) * stride + 3 * size
            last = length - span
            free = [(0, taken[0] - span), (taken[1], last)]
            starts = np.concatenate([hinted, taken[1] + _PADS, (ends[:, None] - vertices * stride - _PADS).reshape(-1)])
            count = _search(numbers, size, last, stride, measured, _within(starts, free), _NEAR, out)
            stated += [Place(scalar, order, int(start), stride, float(cost)) for start, cost in out[:count]]
            count = _search(numbers, size, last, stride, measured, _starts(length, size, free), _NEAR, out)
            anywhere += [Place(scalar, order, start, stride, cost) for start, cost in _nearest(out[:count], stride)]
        return stated, anywhere

    with ThreadPoolExecutor(len(SCALARS)) as pool:
        found = list(pool.map(of_type, SCALARS))
    return [one for stated, _ in found for one in stated], [one for _, anywhere in found for one in anywhere]


def _within(starts: AnyArray, free: list[tuple[int, int]]) -> AnyArray:
    """Those of the starts that lie in one of the ranges, each once."""
    fits = np.zeros(len(starts), bool)
    for first, end in free:
        fits |= (starts >= first) & (starts <= end)
    return np.unique(starts[fits]).astype(np.int64)


def _starts(length: int, size: int, free: list[tuple[int, int]]) -> AnyArray:
    """The bytes at which to try: all where there are few, else whole multiples, and none where those are too many."""
    step = 1 if length < _SMALL else 2 if length < _MIDDLING else size
    many = sum(max(0, end - first + 1) for first, end in free) // step
    if many * len(_STRIDES[size]) > _MOST_TRIES:
        return np.empty(0, np.int64)
    return np.concatenate([np.arange(first, max(end + 1, first), step, dtype=np.int64) for first, end in free])


def _nearest(found: AnyArray, stride: int) -> list[tuple[int, float]]:
    """The best of each neighbourhood of rows: beside it, all that is shifted by a few is nearly as good."""
    best: dict[tuple[int, int], tuple[int, float]] = {}
    for start, cost in found.tolist():
        key = (int(start) % stride, int(start) // (stride * _ROWS))
        if key not in best or cost < best[key][1]:
            best[key] = (int(start), cost)
    return list(best.values())


def values_at(data: ByteArray, place: Place, count: int) -> DoubleArray:
    """(count, 3) float64: what stands at a place, one row a vertex."""
    code, size = SCALARS[place.type]
    first = data[place.offset :]
    rows = np.lib.stride_tricks.as_strided(first, (count, 3 * size), (place.stride, 1), writeable=False)
    with np.errstate(invalid="ignore"):
        return np.ascontiguousarray(rows).view(np.dtype(f"{place.order}{code}")).astype(np.float64)

"""Text → numbers: one pass over the bytes of an OBJ file.

A slice of whole lines is scanned at a time, slices run on both cores. Statements that are not numbers (`o`, `usemtl`)
are noted by position for the reader; lines that make no sense are counted and the first few noted.
"""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass

import numba
import numpy as np

from pruxel.core.base.arrays import AnyArray, ByteArray
from pruxel.core.native.threads import made_ahead

_SLICE = 4 << 20
_TENS = 10.0 ** np.arange(0, 40, dtype=np.float64)
_BROKEN = 2
# Added to relative corner numbers: far below any real number, so that both can be told apart in 32 bits.
_RELATIVE = -(1 << 30)
_RELATIVE_BELOW = -(1 << 29)


@numba.njit(cache=True, nogil=True)
def _number(data, at, end, tens):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Parse a decimal number; returns (value, next place, ok). Leading blanks are passed over."""
    while at < end and (data[at] == 32 or data[at] == 9):
        at += 1
    negative = False
    if at < end and (data[at] == 45 or data[at] == 43):
        negative = data[at] == 45
        at += 1
    mantissa = np.int64(0)
    power = 0
    digits = 0
    seen_point = False
    while at < end:
        c = data[at]
        if 48 <= c <= 57:
            if digits < 18:
                mantissa = mantissa * 10 + (c - 48)
                if mantissa > 0:
                    digits += 1
                if seen_point:
                    power -= 1
            elif not seen_point:
                power += 1
        elif c == 46 and not seen_point:
            seen_point = True
        else:
            break
        at += 1
    ok = at > 0 and (
        48 <= data[at - 1] <= 57 or (seen_point and data[at - 1] == 46 and at > 1 and 48 <= data[at - 2] <= 57)
    )
    if at < end and (data[at] == 101 or data[at] == 69):
        at += 1
        minus = False
        if at < end and (data[at] == 45 or data[at] == 43):
            minus = data[at] == 45
            at += 1
        exponent = 0
        ok = ok and at < end and 48 <= data[at] <= 57
        while at < end and 48 <= data[at] <= 57:
            exponent = min(exponent * 10 + (data[at] - 48), 9999)
            at += 1
        power += -exponent if minus else exponent
    if at < end and data[at] != 32 and data[at] != 9 and data[at] != 13:
        ok = False
    value = np.float64(mantissa)
    while power > 0:
        step = min(power, 39)
        value *= tens[step]
        power -= step
        if value == np.inf:
            break
    while power < 0 and value != 0.0:
        step = min(-power, 39)
        value /= tens[step]
        power += step
    return (-value if negative else value), at, ok


@numba.njit(cache=True, nogil=True)
def _integer(data, at, end):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Parse a whole number with a sign; returns (value, next place, ok)."""
    negative = at < end and data[at] == 45
    if negative:
        at += 1
    begin = at
    value = np.int64(0)
    while at < end and 48 <= data[at] <= 57 and at - begin < 12:
        value = value * 10 + (data[at] - 48)
        at += 1
    return (-value if negative else value), at, at > begin and value < 1 << 29


@numba.njit(cache=True, nogil=True)
def _scan(data, start, stop, tens, v, vt, vn, vc, corners, faces, notes, counts):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Scan lines of data[start:stop].

    `counts` is v, vt, vn, corners, faces, notes, broken lines, lines, and whether vertices have colours (`vc`).
    Corners are rows v, vt, vn as written, 0: absent; relative ones (negative in the file) become the number within
    this slice, plus _RELATIVE.
    """
    nv, nt, nn, nc, nf, ns, nb, nl = 0, 0, 0, 0, 0, 0, 0, 0
    colored = False
    more = np.empty(4, np.float64)
    at = start
    while at < stop:
        line = at
        while at < stop and data[at] != 10:
            at += 1
        end = at
        at += 1
        nl += 1
        p = line
        while p < end and (data[p] == 32 or data[p] == 9):
            p += 1
        if p >= end or data[p] == 35 or data[p] == 13:
            continue
        a = data[p]
        b = data[p + 1] if p + 1 < end else np.uint8(10)
        good = True
        statement = False
        if a == 118 and (b in {32, 9}):
            p += 1
            for k in range(3):
                value, p, ok = _number(data, p, end, tens)
                good = good and ok
                v[nv, k] = value
            # Behind the position may stand a weight, or a colour, or both.
            extra = 0
            while good and extra < 4:
                while p < end and (data[p] == 32 or data[p] == 9 or data[p] == 13):
                    p += 1
                if p >= end or data[p] == 35:
                    break
                more[extra], p, good = _number(data, p, end, tens)
                extra += 1
            if extra >= 3 and good and not colored:
                colored = True
                vc[:nv] = 1.0
            if colored:
                for k in range(3):
                    vc[nv, k] = more[extra - 3 + k] if extra >= 3 else 1.0
            nv += 1
            if not good:
                v[nv - 1, 0] = np.nan
        elif a == 118 and b == 116:
            p += 2
            for k in range(2):
                value, p, ok = _number(data, p, end, tens)
                if k == 0:
                    good = good and ok
                vt[nt, k] = value if ok else 0.0
            nt += 1
        elif a == 118 and b == 110:
            p += 2
            for k in range(3):
                value, p, ok = _number(data, p, end, tens)
                good = good and ok
                vn[nn, k] = value if ok else 0.0
            nn += 1
        elif a == 102 and (b in {32, 9} or (b == 111 and p + 2 < end and data[p + 2] in {32, 9})):
            p += 1 if b != 111 else 2  # `fo`, an older word for the same (appendix B1 of the format)
            first = nc
            while good:
                while p < end and (data[p] == 32 or data[p] == 9 or data[p] == 13):
                    p += 1
                if p >= end or data[p] == 35:
                    break
                index, p, good = _integer(data, p, end)
                corners[nc, 0] = index
                corners[nc, 1] = 0
                corners[nc, 2] = 0
                if p < end and data[p] == 47:
                    p += 1
                    if p < end and data[p] not in {47, 32, 9, 13}:
                        index, p, ok = _integer(data, p, end)
                        corners[nc, 1] = index
                        good = good and ok
                    if p < end and data[p] == 47:
                        p += 1
                        if p < end and data[p] not in {32, 9, 13}:
                            index, p, ok = _integer(data, p, end)
                            corners[nc, 2] = index
                            good = good and ok
                good = good and corners[nc, 0] != 0
                if p < end and data[p] != 32 and data[p] != 9 and data[p] != 13:
                    good = False
                if corners[nc, 0] < 0:
                    corners[nc, 0] += nv + _RELATIVE
                if corners[nc, 1] < 0:
                    corners[nc, 1] += nt + _RELATIVE
                if corners[nc, 2] < 0:
                    corners[nc, 2] += nn + _RELATIVE
                nc += 1
            if good and nc - first >= 3:
                faces[nf, 0] = first
                faces[nf, 1] = nc - first
                nf += 1
            else:
                good = False
                nc = first
        else:
            statement = True
        if statement and ns < notes.shape[0]:
            notes[ns, 0], notes[ns, 1], notes[ns, 2], notes[ns, 3], notes[ns, 4] = 1, line, end, nf, nl
            notes[ns, 5] = nv
            ns += 1
        if not good:
            nb += 1
            if nb <= 20 and ns < notes.shape[0]:
                notes[ns, 0], notes[ns, 1], notes[ns, 2], notes[ns, 3], notes[ns, 4] = 2, line, end, nf, nl
                notes[ns, 5] = nv
                ns += 1
    counts[0], counts[1], counts[2], counts[3] = nv, nt, nn, nc
    counts[4], counts[5], counts[6], counts[7] = nf, ns, nb, nl
    counts[8] = colored


@numba.njit(cache=True, nogil=True)
def _tally(data, start, stop, counts):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Upper bounds for a slice: v, vt, vn lines, corners, faces, other lines."""
    at = start
    while at < stop:
        while at < stop and (data[at] == 32 or data[at] == 9):
            at += 1
        if at >= stop:
            break
        a = data[at]
        b = data[at + 1] if at + 1 < stop else np.uint8(10)
        if a == 118 and b == 116:
            counts[1] += 1
        elif a == 118 and b == 110:
            counts[2] += 1
        elif a == 118:
            counts[0] += 1
        elif a == 102:
            counts[4] += 1
        elif a not in {35, 10, 13}:
            counts[5] += 1
        inside = False
        while at < stop and data[at] != 10:
            blank = data[at] == 32 or data[at] == 9 or data[at] == 13
            if a == 102 and not blank and not inside:
                counts[3] += 1
            inside = not blank
            at += 1
        at += 1


@dataclass(frozen=True)
class Note:
    """A line that is not numbers: text position, faces and vertices before it, its number; broken or a statement."""

    broken: bool
    start: int
    end: int
    face: int
    line: int
    vertex: int


@dataclass(frozen=True)
class Scanned:
    """All numbers of a file.

    v (n, 3), vt (t, 2), vn (k, 3), vc (n, 3 or 0 without colours) float32; corners (c, 3) int32 zero-based, -1 absent;
    faces (f, 2) first corner and corner count; notes in order; the count of broken lines.
    """

    v: AnyArray
    vt: AnyArray
    vn: AnyArray
    vc: AnyArray
    corners: AnyArray
    faces: AnyArray
    notes: list[Note]
    broken: int


@dataclass
class _Slice:
    start: int
    stop: int
    arrays: tuple[AnyArray, ...] = ()
    counts: AnyArray | None = None


def _line_slices(data: ByteArray) -> list[_Slice]:
    edges = [0]
    view = data.data
    while edges[-1] < len(data):
        wanted = edges[-1] + _SLICE
        if wanted >= len(data):
            edges.append(len(data))
            break
        while wanted < len(data) and view[wanted] != 10:
            wanted += 1
        edges.append(min(wanted + 1, len(data)))
    return [_Slice(edges[i], edges[i + 1]) for i in range(len(edges) - 1)]


def scan(data: ByteArray) -> Scanned:
    """Scan a whole file given as (n,) uint8."""
    slices = _line_slices(data)

    def run(item: _Slice) -> None:
        bound = np.zeros(6, np.int64)
        _tally(data, item.start, item.stop, bound)
        item.counts = np.zeros(9, np.int64)
        item.arrays = (
            np.empty((bound[0], 3), np.float32),
            np.empty((bound[1], 2), np.float32),
            np.empty((bound[2], 3), np.float32),
            np.empty((bound[0], 3), np.float32),
            np.empty((bound[3] + 1, 3), np.int32),
            np.empty((bound[4], 2), np.int32),
            np.empty((bound[5] + 20, 6), np.int64),
        )
        _scan(data, item.start, item.stop, _TENS, *item.arrays, item.counts)

    # One by one, not in halves: the first half of most files holds vertices, which take longer than faces.
    deque(made_ahead(slices, run), maxlen=0)
    return _joined(slices)


def _joined(slices: list[_Slice]) -> Scanned:
    """Put slices together: offsets added, relative and one-based numbers made zero-based."""
    totals = np.zeros(9, np.int64)
    parts: list[list[AnyArray]] = [[], [], [], [], []]
    colored = any(item.counts is not None and item.counts[8] for item in slices)
    colors: list[AnyArray] = []
    notes: list[Note] = []
    for item in slices:
        assert item.counts is not None
        n = item.counts
        for k in range(3):
            parts[k].append(item.arrays[k][: n[k]])
        if colored:
            colors.append(item.arrays[3][: n[0]] if n[8] else np.ones((n[0], 3), np.float32))
        corners = item.arrays[4][: n[3]]
        relative = corners < _RELATIVE_BELOW
        corners -= np.int32(1)
        if relative.any():
            before = np.broadcast_to(totals[:3], corners.shape)[relative]
            corners[relative] += (1 - _RELATIVE + before).astype(np.int32)
        parts[3].append(corners)
        faces = item.arrays[5][: n[4]]
        parts[4].append(faces + np.array([totals[3], 0], np.int32))
        notes += [
            Note(
                bool(row[0] == _BROKEN),
                int(row[1]),
                int(row[2]),
                int(row[3] + totals[4]),
                int(row[4] + totals[7]),
                int(row[5] + totals[0]),
            )
            for row in item.arrays[6][: n[5]]
        ]
        totals += n
    empty = (("f4", 3), ("f4", 2), ("f4", 3), ("i4", 3), ("i4", 2))
    v, vt, vn, corners, faces = (
        np.concatenate(part) if part else np.zeros((0, width), kind)
        for part, (kind, width) in zip(parts, empty, strict=True)
    )
    vc = np.concatenate(colors) if colors else np.zeros((len(v), 0), np.float32)
    return Scanned(v, vt, vn, vc, corners, faces, notes, int(totals[6]))

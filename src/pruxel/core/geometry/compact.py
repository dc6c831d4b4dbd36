"""Triangles by a mask or by labels, and the vertices that are left for them."""

from __future__ import annotations

from collections.abc import Iterator

import numba
import numpy as np

from pruxel.core.base.arrays import AnyArray, IndexArray


@numba.njit(cache=True, nogil=True)
def _mark(indices, faces, used):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Mark the vertices of some faces; returns the first and the last of them."""
    low, high = np.uint32(len(used) - 1), np.uint32(0)
    for at in range(len(faces)):
        t = faces[at]
        i, j, k = indices[t, 0], indices[t, 1], indices[t, 2]
        used[i] = used[j] = used[k] = True
        least, most = min(i, j, k), max(i, j, k)  # apart: these need not wait for the face before
        low, high = min(low, least), max(high, most)
    return low, high


@numba.njit(cache=True, nogil=True)
def _renumber(indices, faces, old, used, number, out):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    for v in range(len(old)):
        number[old[v]], used[old[v]] = v, False
    for at in range(len(faces)):
        t = faces[at]
        out[at, 0], out[at, 1], out[at, 2] = number[indices[t, 0]], number[indices[t, 1]], number[indices[t, 2]]


@numba.njit(cache=True, nogil=True)
def _in_order(label, ends, order):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    """Order faces by label, in each as they come; ends[k] is where those of label k end."""
    # Faces of a label mostly follow each other: only where they end is noted.
    t = 0
    while t < len(label):
        one, first = label[t], t
        while t < len(label) and label[t] == one:
            t += 1
        ends[one + 1] += t - first
    for k in range(1, len(ends)):
        ends[k] += ends[k - 1]
    t = 0
    while t < len(label):
        one, at = label[t], ends[label[t]] - t
        while t < len(label) and label[t] == one:
            order[at + t] = t
            t += 1
        ends[one] = at + t


def apart(indices: IndexArray, label: AnyArray, count: int) -> Iterator[tuple[int, AnyArray, AnyArray, IndexArray]]:
    """For each label that a triangle (m, 3) has, in order: the label, its faces, their vertices and their triangles.

    label (m,) uint32; faces (k,) uint32 and, of `count` vertices, those that they use, (n,) int64, both ascending;
    triangles (k, 3) uint32 that count by them. All together costs about what one copy costs, of many labels as of few.
    """
    indices, label = np.ascontiguousarray(indices), np.ascontiguousarray(label)
    ends = np.zeros(int(label.max(initial=0)) + 2, np.int64)
    order = np.empty(len(label), np.uint32)
    _in_order(label, ends, order)
    used, number, start = np.zeros(count, bool), np.empty(count, np.uint32), 0
    for one, end in enumerate(ends[:-1].tolist()):
        if end > start:
            faces = order[start:end]
            old = _used(indices, faces, used)
            yield one, faces, old, _counted_by(indices, faces, old, used, number)
        start = end


def compacted(indices: IndexArray, keep: AnyArray, count: int) -> tuple[AnyArray | None, IndexArray]:
    """The triangles (m, 3) uint32 where `keep` (m,) bool says so, in their order, and the vertices that they use.

    Of `count` vertices those are (n,) int64, ascending, and the triangles count by them; None where all are used.
    """
    indices, faces, used = np.ascontiguousarray(indices), np.flatnonzero(keep).astype(np.uint32), np.zeros(count, bool)
    old = _used(indices, faces, used)
    if len(old) == count:
        return None, indices if len(faces) == len(indices) else indices[faces]
    return old, _counted_by(indices, faces, old, used, np.empty(count, np.uint32))


def _used(indices: IndexArray, faces: AnyArray, used: AnyArray) -> AnyArray:
    """The vertices of some faces, ascending; they are marked in `used`."""
    if not len(faces):
        return np.zeros(0, np.int64)
    low, high = _mark(indices, faces, used)
    old = np.flatnonzero(used[low : high + 1])
    if low:
        old += int(low)
    return old


def _counted_by(indices: IndexArray, faces: AnyArray, old: AnyArray, used: AnyArray, number: AnyArray) -> IndexArray:
    """The faces with the numbers that their vertices have among the old; `used` is all False again."""
    out = np.empty((len(faces), 3), np.uint32)
    _renumber(indices, faces, old.view(np.uint64), used, number, out)
    return out

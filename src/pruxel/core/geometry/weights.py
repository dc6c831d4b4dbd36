"""Weights of vertices as a sparse table: a row a vertex, a column a joint."""

from __future__ import annotations

import numpy as np
from scipy.sparse import coo_array, csr_array, diags_array

from pruxel.core.base.arrays import AnyArray, DoubleArray, FloatArray, IndexArray

_NOTHING = 1e-9
_MOST_PASSES = 10_000


def weight_table(joints: AnyArray | None, weights: FloatArray | None, vertices: int, count: int) -> csr_array:
    """(vertices, count) float64 of joints and weights (n, k); what is named twice is one sum, nothing is left out."""
    if joints is None or weights is None:
        return csr_array((vertices, count), dtype=np.float64)
    rows, pulling = np.repeat(np.arange(len(joints)), joints.shape[1]), weights.ravel() > 0
    cells = (rows[pulling], joints.ravel()[pulling].astype(np.int64))
    return csr_array(coo_array((weights.ravel()[pulling].astype(np.float64), cells), shape=(vertices, count)))


def columns_of(table: csr_array, most: int, least: float = 0.0) -> tuple[AnyArray, FloatArray]:
    """Joints (n, k) uint16 and weights (n, k) float32, the heaviest first, k no larger than `most`.

    Rows sum to one; what is below the share `least` of its row goes, but never the heaviest. A row of nothing stays so.
    """
    count = table.shape[0]
    sums = np.asarray(table.sum(axis=1)).ravel()
    row = np.repeat(np.arange(count), np.diff(table.indptr))
    order = np.lexsort((table.indices, -table.data, row))
    rank = np.arange(len(order)) - table.indptr[row]
    share = table.data[order] / np.maximum(sums[row], _NOTHING)
    kept = (rank < most) & ((share >= least) | (rank == 0)) & (table.data[order] > 0)
    wide = int(rank[kept].max(initial=0)) + 1
    joints, weights = np.zeros((count, wide), np.uint16), np.zeros((count, wide))
    joints[row[kept], rank[kept]] = table.indices[order][kept]
    weights[row[kept], rank[kept]] = share[kept]
    left = weights.sum(axis=1, keepdims=True)
    return joints, (weights / np.where(left > 0, left, 1)).astype(np.float32)


def empty_rows(table: csr_array) -> AnyArray:
    """(n,) bool: the vertices that nothing pulls."""
    return np.asarray(table.sum(axis=1)).ravel() <= _NOTHING


def evened(table: csr_array) -> csr_array:
    """The table with rows that sum to one; a row of nothing stays so."""
    sums = np.asarray(table.sum(axis=1)).ravel()
    return csr_array(diags_array(1 / np.where(sums > _NOTHING, sums, 1)) @ table)


def neighbours(corners: IndexArray, count: int) -> csr_array:
    """(count, count) the mean of what an edge away is, for triangles (m, 3); who has no neighbour is its own."""
    ends = corners[:, [0, 1, 1, 2, 2, 0, 1, 0, 2, 1, 0, 2]].astype(np.int64).reshape(-1, 2)
    ends = ends[ends[:, 0] != ends[:, 1]]
    ends = np.unique(ends, axis=0)
    degree = np.bincount(ends[:, 0], minlength=count)
    alone = np.flatnonzero(degree == 0)
    rows, columns = np.append(ends[:, 0], alone), np.append(ends[:, 1], alone)
    return csr_array(coo_array((1 / np.maximum(degree, 1)[rows], (rows, columns)), shape=(count, count)))


def smoothed(table: csr_array, beside: csr_array, strength: float, passes: int) -> csr_array:
    """The table after each row has gone so far (0 to 1) towards the mean of its neighbours, several times."""
    for _ in range(passes):
        table = csr_array(table * (1 - strength) + (beside @ table) * strength)
    return table


def filled(table: csr_array, beside: csr_array) -> csr_array:
    """The table in which rows of nothing have the mean of their neighbours, from the border of a hole inwards.

    What no neighbour reaches stays empty.
    """
    for _ in range(_MOST_PASSES):
        holes = empty_rows(table)
        if not holes.any():
            break
        around = evened(csr_array(beside @ table))
        reached = holes & ~empty_rows(around)
        if not reached.any():
            break
        table = csr_array(table + diags_array(reached.astype(np.float64)) @ around)
    return table


def gathered_rows(table: csr_array, rows: AnyArray, shares: DoubleArray) -> csr_array:
    """(n, j): for each vertex the sum of rows (n, k) of a table by shares (n, k)."""
    cells = (np.repeat(np.arange(len(rows)), rows.shape[1]), rows.ravel().astype(np.int64))
    chosen = csr_array(coo_array((shares.ravel(), cells), shape=(len(rows), table.shape[0])))
    return csr_array(chosen @ table)

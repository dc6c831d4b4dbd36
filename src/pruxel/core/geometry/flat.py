"""Which vertices a surface needs when some edges are hard."""

from __future__ import annotations

import numpy as np

from pruxel.core.base.arrays import AnyArray, IndexArray, as_indices


def unshared(indices: IndexArray) -> tuple[AnyArray, IndexArray]:
    """Give every corner a vertex of its own, so that each face has its own normal.

    Returns `old_from_new` (3m,), the rows to pick from every attribute, and the new (m, 3) corners.
    """
    rows = np.ascontiguousarray(indices).reshape(-1).astype(np.int64)
    return rows, as_indices(np.arange(len(rows), dtype=np.uint32))

"""Which texels of a texture a surface covers, and what its corners say there."""

from __future__ import annotations

import numba
import numpy as np
from scipy import ndimage

from pruxel.core.base.arrays import AnyArray, FloatArray, IndexArray


@numba.njit(cache=True, nogil=True)
def _cover(uvs, indices, values, out, covered):  # type: ignore[no-untyped-def] # noqa: ANN001, ANN202
    height, width = covered.shape
    for t in range(len(indices)):
        ia, ib, ic = indices[t, 0], indices[t, 1], indices[t, 2]
        ax, ay = np.float64(uvs[ia, 0]) * width - 0.5, np.float64(uvs[ia, 1]) * height - 0.5
        bx, by = np.float64(uvs[ib, 0]) * width - 0.5, np.float64(uvs[ib, 1]) * height - 0.5
        cx, cy = np.float64(uvs[ic, 0]) * width - 0.5, np.float64(uvs[ic, 1]) * height - 0.5
        area = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
        if not abs(area) > 1e-12:
            continue
        left, right = max(min(ax, bx, cx), 0.0), min(max(ax, bx, cx), width - 1.0)
        top, low = max(min(ay, by, cy), 0.0), min(max(ay, by, cy), height - 1.0)
        for y in range(int(np.ceil(top - 1e-9)), int(np.floor(low + 1e-9)) + 1):
            for x in range(int(np.ceil(left - 1e-9)), int(np.floor(right + 1e-9)) + 1):
                u = ((x - ax) * (cy - ay) - (y - ay) * (cx - ax)) / area
                v = ((bx - ax) * (y - ay) - (by - ay) * (x - ax)) / area
                if u < -1e-6 or v < -1e-6 or u + v > 1 + 1e-6:
                    continue
                covered[y, x] = True
                for k in range(values.shape[1]):
                    out[y, x, k] = values[ia, k] * (1 - u - v) + values[ib, k] * u + values[ic, k] * v


def cover(uvs: FloatArray, indices: IndexArray, values: FloatArray, out: FloatArray, covered: AnyArray) -> None:
    """Draw triangles (m, 3) into a texture: out (height, width, c) float32 gets what the values (n, c) are there.

    uvs (n, 2), origin top left; covered (height, width) bool is set where a texel's middle lies in a triangle. What
    lies outside the texture is left out; where triangles lie over each other, the last one counts.
    """
    _cover(
        np.ascontiguousarray(uvs), np.ascontiguousarray(indices), np.ascontiguousarray(values, np.float32), out, covered
    )


def spread(out: FloatArray, covered: AnyArray) -> FloatArray:
    """The texels with those that nothing covers filled from their nearest neighbour, so that nothing bleeds in."""
    if not covered.any():
        return out
    nearest = ndimage.distance_transform_edt(~covered, return_distances=False, return_indices=True)
    filled: FloatArray = out[nearest[0], nearest[1]]
    return filled

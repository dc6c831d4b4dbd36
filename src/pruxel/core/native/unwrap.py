"""Unwrapping by xatlas, in a process of its own: odd surfaces bring it down, or take it for ever."""

from __future__ import annotations

import io
import sys
from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import AnyArray, FloatArray, IndexArray, as_floats, as_indices
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.native.processes import NoAnswer, answer_of


@dataclass(frozen=True, eq=False)
class Unwrapped:
    """Vertices anew: old_of_new (n,) int64, indices (m, 3), uvs (n, 2) float32 from 0 to 1; how many charts."""

    old_of_new: AnyArray
    indices: IndexArray
    uvs: FloatArray
    charts: int


def unwrapped(positions: FloatArray, indices: IndexArray, texels: int, padding: int, name: str) -> Unwrapped:
    """Unwrap triangles (m, 3) of positions (n, 3), for a texture of so many texels a side with so many between charts.

    Triangles stay in their order. Raises `InputError` where it cannot be done.
    """
    packed = io.BytesIO()
    np.savez(packed, positions=positions, indices=indices, wanted=np.array([texels, padding]))
    try:
        answer = answer_of([sys.executable, "-m", "pruxel.core.native.unwrap_child"], packed.getvalue())
    except NoAnswer as error:
        raise InputError(
            ErrorCode.MALFORMED, f"this surface does not unwrap ({error})", file=name,
            hint="Weld it, remove faces without area and thin it out first.",
        ) from None  # fmt: skip
    with np.load(io.BytesIO(answer)) as found:
        old_of_new, made, uvs = found["old_of_new"], found["indices"], found["uvs"]
        charts = int(found["charts"])
    if len(made) != len(indices) or not bool(np.array_equal(old_of_new[made], indices)):
        raise InputError(
            ErrorCode.MALFORMED, "this surface does not unwrap: triangles were lost", file=name,
            expected=f"{len(indices):,} triangles", found=f"{len(made):,}",
            hint="Remove faces without area first.",
        )  # fmt: skip
    return Unwrapped(old_of_new.astype(np.int64), as_indices(made), as_floats(uvs, 2), charts)

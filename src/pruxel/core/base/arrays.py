"""Array types, named by what they hold."""

from __future__ import annotations

from typing import Any, TypeAlias, TypeVar

import numpy as np
import numpy.typing as npt

FloatArray: TypeAlias = npt.NDArray[np.float32]
DoubleArray: TypeAlias = npt.NDArray[np.float64]
IndexArray: TypeAlias = npt.NDArray[np.uint32]
ByteArray: TypeAlias = npt.NDArray[np.uint8]
AnyArray: TypeAlias = npt.NDArray[Any]
Bytes: TypeAlias = bytes | bytearray | memoryview

A = TypeVar("A", bound=npt.NDArray[Any])


def frozen(array: A) -> A:
    """Return the array, marked read-only (a view, so that the caller's own array stays writable)."""
    view = array.view()
    view.flags.writeable = False
    return view


def as_floats(values: object, width: int) -> FloatArray:
    """Coerce to a contiguous read-only (n, width) float32 array."""
    array = np.ascontiguousarray(values, dtype=np.float32).reshape(-1, width)
    return frozen(array)


def as_indices(values: object) -> IndexArray:
    """Coerce to a contiguous read-only (n, 3) uint32 array of triangle corners."""
    array = np.ascontiguousarray(values, dtype=np.uint32).reshape(-1, 3)
    return frozen(array)

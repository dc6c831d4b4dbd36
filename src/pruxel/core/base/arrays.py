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
    if not array.flags.writeable:
        return array
    view = array.view()
    view.flags.writeable = False
    return view


def as_floats(values: object, width: int) -> FloatArray:
    """Coerce to a contiguous read-only (n, width) float32 array."""
    return frozen(_rows(np.ascontiguousarray(values, dtype=np.float32), width))


def as_indices(values: object) -> IndexArray:
    """Coerce to a contiguous read-only (n, 3) uint32 array of triangle corners."""
    return frozen(_rows(np.ascontiguousarray(values, dtype=np.uint32), 3))


def _rows(array: np.ndarray, width: int) -> np.ndarray:
    """The array itself where it has such rows: what is shared stays one object."""
    return array if array.ndim == 2 and array.shape[1] == width else array.reshape(-1, width)


def all_finite(array: AnyArray) -> bool:
    """Whether every number is finite: by their squares' sum where that is, else by its ends."""
    if not array.size or array.dtype.kind != "f":
        return True
    if array.flags.c_contiguous and array.dtype.itemsize > 2:
        # What is no number, or without end, stays so in a sum; one that is finite has none of them.
        flat = array.reshape(-1)
        with np.errstate(over="ignore", invalid="ignore"):
            if np.isfinite(np.dot(flat, flat)):
                return True
    with np.errstate(invalid="ignore"):
        return bool(np.isfinite(array.min()) and np.isfinite(array.max()))


_LARGEST = 1e18  # beyond this, products of two numbers leave float32


def usable_rows(points: AnyArray) -> AnyArray:
    """(n,) which rows of (n, …) hold only numbers that can be places: finite, and not beyond what products bear."""
    with np.errstate(invalid="ignore"):
        if points.size and points.min() > -_LARGEST and points.max() < _LARGEST:
            return np.ones(len(points), bool)
        fine: AnyArray = np.asarray((np.abs(points) < _LARGEST).all(axis=tuple(range(1, points.ndim))))
    return fine


def starts_of(counts: AnyArray) -> AnyArray:
    """(n,) int64: where each of several runs of these lengths begins when they follow each other from 0."""
    ends = np.cumsum(counts, dtype=np.int64)
    return ends - counts.astype(np.int64)


def places_within(counts: AnyArray) -> AnyArray:
    """int64: 0, 1, 2 … for each of several runs of these lengths, all one behind the other."""
    return np.arange(int(counts.sum(dtype=np.int64))) - np.repeat(starts_of(counts), counts)


def lengths(rows: AnyArray) -> AnyArray:
    """The (n,) lengths of rows (n, k), of their kind of float; `norm` along rows takes five times as long."""
    found: AnyArray = np.sqrt(np.einsum("nk,nk->n", rows, rows))
    return found


def bounds(points: AnyArray) -> tuple[AnyArray, AnyArray]:
    """The lowest and highest (k,) of (n, k) points, n above 0; column by column, which is many times faster."""
    columns = range(points.shape[1])
    low, high = ([points[:, k].min() for k in columns], [points[:, k].max() for k in columns])
    return np.array(low, points.dtype), np.array(high, points.dtype)

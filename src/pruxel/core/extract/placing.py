"""Where something stands relative to what it hangs on: translation, rotation and scale, or a matrix; and on what."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from pydantic import model_validator

from pruxel.core.base.arrays import DoubleArray
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.binary.records import Record
from pruxel.core.binary.schema import ExpressionText, Strict
from pruxel.core.binary.values import matrix_of, numbers_of, whole_of
from pruxel.core.extract.conventions import Turning, turned_matrices
from pruxel.core.geometry.transforms import compose, decompose
from pruxel.core.scene.model import IDENTITY_TURN, Vec3, Vec4

_SMALLEST_SCALE = 1e-6
_LARGEST = 1e9


class PlacingSpec(Strict):
    """`translation`, `rotation` (a quaternion xyzw) and `scale` (one number or three), or a `matrix`."""

    translation: ExpressionText | None = None
    """Three numbers."""
    rotation: ExpressionText | None = None
    """A quaternion x, y, z, w."""
    scale: ExpressionText | None = None
    """One number or three."""
    matrix: ExpressionText | None = None
    """A 4x4 matrix in place of the three."""

    @model_validator(mode="after")
    def _one_way(self) -> PlacingSpec:
        if self.matrix is not None and (self.translation or self.rotation or self.scale):
            message = "'matrix' stands in place of 'translation', 'rotation' and 'scale'"
            raise ValueError(message)
        return self


def matrix_in(spec: PlacingSpec, scope: Record, entry: str) -> DoubleArray:
    """The (4, 4) parent_from_local matrix in the file's own axes and unit; raises `InputError`."""
    stored: object
    if spec.matrix is not None:
        matrix = matrix_of(spec.matrix, scope, entry)
        stored = matrix.tolist()
    else:
        place = (0.0, 0.0, 0.0) if spec.translation is None else numbers_of(spec.translation, scope, entry, 3)
        turn = (0.0, 0.0, 0.0, 1.0) if spec.rotation is None else numbers_of(spec.rotation, scope, entry, 4)
        size = (1.0, 1.0, 1.0) if spec.scale is None else numbers_of(spec.scale, scope, entry, 1, 3)
        size = size * 3 if len(size) == 1 else size
        stored = (place, turn, size)
        with np.errstate(all="ignore"):
            matrix = compose(place, turn, size)
    sensible = matrix.ndim == 2 and np.isfinite(matrix).all() and float(np.abs(matrix).max()) < _LARGEST
    if not sensible or _is_flat(matrix[:3, :3]):
        raise InputError(
            ErrorCode.MALFORMED,
            "something stands nowhere, or has no size",
            file=entry,
            offset=scope.start,
            field=scope.kind,
            expected="finite numbers, and a scale that is not zero",
            found=str(stored)[:120],
        )
    return matrix


def _is_flat(linear: DoubleArray) -> bool:
    """Whether a (3, 3) matrix has no size in some direction, so that nothing undoes it."""
    scales = np.linalg.norm(linear, axis=0)
    return bool(scales.min() < _SMALLEST_SCALE or abs(np.linalg.det(linear / scales)) < _SMALLEST_SCALE)


def placing_of(spec: PlacingSpec, scope: Record, how: Turning, entry: str) -> tuple[Vec3, Vec4, Vec3]:
    """Translation, rotation xyzw and scale in our axes and metres; raises `InputError`."""
    if not (spec.matrix or spec.translation or spec.rotation or spec.scale):
        return (0.0, 0.0, 0.0), IDENTITY_TURN, (1.0, 1.0, 1.0)
    return decompose(turned_matrices(matrix_in(spec, scope, entry), how))


def parents_first(items: Sequence[Record], parent: str | None, where: str | None, entry: str) -> list[int]:
    """The number of the item that each hangs on, or -1; raises `InputError` for a ring, or one that is not there.

    Parents may stand behind their children. Numbers count the items of `each`, also those that `where` leaves out;
    what hangs on such a one hangs on nothing.
    """
    if parent is None:
        return [-1] * len(items)
    at = {int(item.values["row"]): number for number, item in enumerate(items)}
    found = [whole_of(parent, item, entry) for item in items]
    most = max(at, default=-1)
    for number, one in enumerate(found):
        if one > most and where is None:
            raise InputError(
                ErrorCode.REFERENCE,
                "something hangs on an item that is not there",
                file=entry,
                offset=items[number].start,
                field=f"{items[number].kind}.{parent}",
                expected=f"a number below {most + 1}, or below zero for none",
                found=str(one),
                hint="The layout may read the parent wrongly, or count from one.",
            )
    parents = [at.get(one, -1) if one >= 0 else -1 for one in found]
    depths_of(parents, items, parent, entry)
    return parents


def depths_of(parents: Sequence[int], items: Sequence[Record], parent: str, entry: str) -> list[int]:
    """How many items each hangs below; raises `InputError` for a ring."""
    depths = [-1] * len(parents)
    for number in range(len(parents)):
        path, at = [], number
        while at >= 0 and depths[at] == -1:
            depths[at] = -2  # on the way up from here
            path.append(at)
            at = parents[at]
        if at >= 0 and depths[at] == -2:
            raise InputError(
                ErrorCode.REFERENCE,
                "items hang on each other in a ring",
                file=entry,
                offset=items[number].start,
                field=f"{items[number].kind}.{parent}",
                found=f"item {number} hangs on {parents[number]}",
                hint="The layout may read the parent wrongly.",
            )
        depth = -1 if at < 0 else depths[at]
        for one in reversed(path):
            depth += 1
            depths[one] = depth
    return depths

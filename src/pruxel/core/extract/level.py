"""Records of a level → which models stand where."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import DoubleArray
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.binary.parse import parse
from pruxel.core.binary.records import Table
from pruxel.core.binary.schema import ExpressionText, Layout, Strict
from pruxel.core.binary.values import rows_of
from pruxel.core.extract.conventions import Turning, turning
from pruxel.core.extract.validate import extract_spec
from pruxel.core.scene.place import Placements
from pruxel.core.sources.profile import Conventions


class LevelExtract(Strict):
    """Where a level keeps its models (records with a `path`) and its `placements`, each with a `model` number.

    `turn` is an angle in radians about the axis that points up, by the right-hand rule of the file's own axes, or a
    quaternion xyzw; `scale` one number or three.
    """

    models: ExpressionText
    path: str
    placements: ExpressionText
    model: str
    position: str
    turn: str | None = None
    scale: str | None = None


@dataclass(frozen=True, eq=False)
class Level:
    """Paths of models, and where they stand."""

    models: tuple[str, ...]
    placements: Placements

    def counts(self) -> list[int]:
        """How often each model stands."""
        return [int(number) for number in np.bincount(self.placements.model, minlength=len(self.models))]


def read_level(data: memoryview, layout: Layout, name: str, conventions: Conventions, context: Context) -> Level:
    """Read placements by the layout; raises `InputError`."""
    spec = extract_spec(layout, LevelExtract)
    head = parse(layout, data, name, context)
    models = tuple(str(record.own(spec.path)) for record in rows_of(spec.models, head, name))
    placed = rows_of(spec.placements, head, name)
    if not isinstance(placed, Table):
        raise InputError(
            ErrorCode.LAYOUT, "placements must be records of a fixed size", file=name, field=spec.placements
        )
    numbers = _column(placed, spec.model, (1,), name)[:, 0].astype(np.int64)
    if len(numbers) and (numbers.min() < 0 or numbers.max() >= len(models)):
        raise InputError(
            ErrorCode.REFERENCE,
            "a placement names a model that the level does not list",
            file=name,
            offset=placed.start,
            expected=f"a number below {len(models)}",
            found=f"{int(numbers.max())}",
        )
    how = turning(conventions)
    points = _column(placed, spec.position, (3,), name) @ (how.ours_from_file.T * how.unit_m)
    turns = np.zeros((len(points), 1)) if spec.turn is None else _column(placed, spec.turn, (1, 4), name)
    scales = np.ones((len(points), 1)) if spec.scale is None else _column(placed, spec.scale, (1, 3), name)
    scales = np.broadcast_to(scales, (len(points), 3)) @ np.abs(how.ours_from_file.T)
    return Level(models, Placements(numbers, points, _rotations(turns, how), scales))


def _column(placed: Table, field: str, widths: tuple[int, ...], name: str) -> DoubleArray:
    """One field of all placements as (n, width) float64, of one of the widths."""
    fields = placed.array.dtype.names or ()
    values = placed.column(field).reshape(len(placed.array), -1).astype(np.float64) if field in fields else None
    if values is None or values.shape[1] not in widths:
        raise InputError(
            ErrorCode.LAYOUT,
            "a placement has no such field" if values is None else "a placement's field has another size",
            file=name,
            field=field,
            expected=f"one of {', '.join(fields)}" if values is None else f"{' or '.join(map(str, widths))} numbers",
            found=field if values is None else f"{values.shape[1]} numbers",
        )
    broken = ~np.isfinite(values).all(axis=1)
    if broken.any():
        raise InputError(
            ErrorCode.MALFORMED,
            "something is placed nowhere",
            file=name,
            offset=placed.start + int(np.argmax(broken)) * placed.array.dtype.itemsize,
            field=field,
            expected="finite numbers",
            found=str(values[int(np.argmax(broken))].tolist()),
            hint="The layout may read the placements from a wrong offset.",
        )
    return values


def _rotations(turns: DoubleArray, how: Turning) -> DoubleArray:
    """(n, 4) unit quaternions xyzw in our axes; where an axis is mirrored, what turned left turns right."""
    handed = np.linalg.det(how.ours_from_file)
    if turns.shape[1] == 1:
        zero = np.zeros(len(turns))
        half = turns[:, 0] / 2
        return np.stack([zero, handed * np.sin(half), zero, np.cos(half)], axis=1)
    axes = handed * turns[:, :3] @ how.ours_from_file.T
    whole = np.concatenate([axes, turns[:, 3:]], axis=1)
    length = np.linalg.norm(whole, axis=1, keepdims=True)
    return np.where(length > 0, whole / np.where(length > 0, length, 1), (0.0, 0.0, 0.0, 1.0))

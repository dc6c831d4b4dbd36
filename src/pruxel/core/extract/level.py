"""Records of a level → which models stand where."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.binary.expressions import compile_expression
from pruxel.core.binary.parse import parse
from pruxel.core.binary.records import Table
from pruxel.core.binary.schema import ExpressionText, Layout, Strict
from pruxel.core.extract.conventions import turning
from pruxel.core.extract.validate import extract_spec
from pruxel.core.sources.profile import Conventions


class LevelExtract(Strict):
    """Where a level keeps its models (records with a `path`) and its `placements`, each with a `model` number."""

    models: ExpressionText
    path: str
    placements: ExpressionText
    model: str
    position: str
    turn: str | None = None
    scale: str | None = None


@dataclass(frozen=True, eq=False)
class Level:
    """`models` are paths; `model` (n,) int64 numbers into them; `positions` (n, 3) float64 metres, +Y up."""

    models: tuple[str, ...]
    model: AnyArray
    positions: DoubleArray

    def counts(self) -> dict[str, int]:
        """How often each model stands."""
        numbers = np.bincount(self.model, minlength=len(self.models))
        return {path: int(n) for path, n in zip(self.models, numbers, strict=True)}


def read_level(data: memoryview, layout: Layout, name: str, conventions: Conventions, context: Context) -> Level:
    """Read placements by the layout; raises `InputError`."""
    spec = extract_spec(layout, LevelExtract)
    head = parse(layout, data, name, context)
    models = tuple(str(record[spec.path]) for record in compile_expression(spec.models)(head))
    placed = compile_expression(spec.placements)(head)
    if not isinstance(placed, Table):
        raise InputError(
            ErrorCode.LAYOUT, "placements must be records of a fixed size", file=name, field=spec.placements
        )
    numbers = placed.column(spec.model).astype(np.int64)
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
    points = placed.column(spec.position).astype(np.float64) @ (how.ours_from_file.T * how.unit_m)
    return Level(models, numbers, points)

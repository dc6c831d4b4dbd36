"""Placements of a layout → which models stand where."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.binary.functions.rotations import unit_turns
from pruxel.core.binary.records import Record
from pruxel.core.binary.schema import ExpressionText
from pruxel.core.binary.values import array_of, matrix_of, value_of
from pruxel.core.extract.conventions import turn_rotations, turning
from pruxel.core.extract.elements import bad
from pruxel.core.extract.file import ParsedFile, byte_of, rows
from pruxel.core.extract.placing import PlacingSpec, matrix_in
from pruxel.core.geometry.transforms import turns_of
from pruxel.core.scene.place import Placements


class PlacementsSpec(PlacingSpec):
    """What stands where. With `each` all is said of one placement; without it, of all at once, as arrays.

    `model` is a path or name, or a number into the list of texts `models`.
    """

    each: ExpressionText | None = None
    """The records, one a placement; without it all is said of all at once, as arrays."""
    where: ExpressionText | None = None
    """A condition: which of them count."""
    models: ExpressionText | None = None
    """A list of texts that `model` counts in."""
    model: ExpressionText
    """A path or name, or a number."""


@dataclass(frozen=True, eq=False)
class Level:
    """Paths of models, and where they stand."""

    models: tuple[str, ...]
    placements: Placements

    def counts(self) -> list[int]:
        """How often each model stands."""
        return [int(number) for number in np.bincount(self.placements.model, minlength=len(self.models))]


@dataclass(frozen=True, eq=False)
class _Stored:
    """As the file has them: models by number or name, and places in the file's axes."""

    model: AnyArray | list[str]
    translation: DoubleArray
    rotation: DoubleArray
    scale: DoubleArray


def read_level(file: ParsedFile) -> Level:
    """All placements of a file; raises `InputError`."""
    spec = file.spec("placements", PlacementsSpec)
    stored = _at_once(spec, file.head, file.entry) if spec.each is None else _row_by_row(spec, file)
    models, numbers = _models(spec, stored, file)
    _check_places(spec, stored, file)
    how = turning(file.conventions)
    points = stored.translation @ (how.ours_from_file.T * how.unit_m)
    scales = stored.scale @ np.abs(how.ours_from_file.T)
    return Level(models, Placements(numbers, points, turn_rotations(unit_turns(stored.rotation), how), scales))


def _at_once(spec: PlacementsSpec, scope: Record, entry: str) -> _Stored:
    model = value_of(spec.model, scope, entry)
    if not isinstance(model, list | np.ndarray):
        raise bad(entry, scope, "without 'each', 'model' should be one number or text for each placement")
    count = len(model)
    if spec.matrix is not None:
        matrices = matrix_of(spec.matrix, scope, entry)
        translation, rotation, scale = turns_of(matrices if matrices.ndim == 3 else matrices[None])
    else:
        translation = _rows(spec.translation, scope, entry, (0.0, 0.0, 0.0), 3)
        rotation = _rows(spec.rotation, scope, entry, (0.0, 0.0, 0.0, 1.0), 4)
        scale = _rows(spec.scale, scope, entry, (1.0, 1.0, 1.0), 1, 3)
    for what, values in (("translation", translation), ("rotation", rotation), ("scale", scale)):
        if len(values) not in {1, count}:
            raise bad(
                entry, scope, f"'{what}' should have one row for each of {count:,} placements", found=f"{len(values):,}"
            )
    whole = [np.broadcast_to(values, (count, values.shape[1])) for values in (translation, rotation, scale)]
    return _Stored(model, *whole)


def _rows(text: str | None, scope: Record, entry: str, otherwise: tuple[float, ...], *widths: int) -> DoubleArray:
    """(n, 3 or 4) float64; one number is taken for each component."""
    if text is None:
        return np.asarray([otherwise])
    found = array_of(text, scope, entry, *widths, 1).astype(np.float64)
    if found.ndim == 1:
        found = found[None] if len(found) in widths and len(found) > 1 and 1 not in widths else found[:, None]
    return np.broadcast_to(found, (len(found), len(otherwise)))


def _row_by_row(spec: PlacementsSpec, file: ParsedFile) -> _Stored:
    models, matrices = list[object](), list[DoubleArray]()
    for row in rows(spec.each, spec.where, file.head, file.entry):
        models.append(value_of(spec.model, row, file.entry))
        matrices.append(matrix_in(spec, row, file.entry))
    parts = turns_of(np.stack(matrices) if matrices else np.zeros((0, 4, 4)))
    if models and all(isinstance(model, int) for model in models):
        return _Stored(np.asarray(models), *parts)
    return _Stored([str(model) for model in models], *parts)


def _models(spec: PlacementsSpec, stored: _Stored, file: ParsedFile) -> tuple[tuple[str, ...], AnyArray]:
    """The paths, and the number of each placement's."""
    if spec.models is None:
        names = [str(one) for one in (stored.model if isinstance(stored.model, list) else stored.model.tolist())]
        known = tuple(dict.fromkeys(names))
        at = {name: number for number, name in enumerate(known)}
        return known, np.array([at[name] for name in names], np.int64)
    listed = value_of(spec.models, file.head, file.entry)
    if not isinstance(listed, list) or not all(isinstance(one, str) for one in listed):
        raise bad(file.entry, file.head, "'models' should be a list of texts")
    if isinstance(stored.model, list) or np.asarray(stored.model).dtype.kind not in "iu":
        raise bad(file.entry, file.head, "'model' should be a number into 'models'")
    numbers = np.asarray(stored.model).astype(np.int64)
    beyond = (numbers < 0) | (numbers >= len(listed))
    if beyond.any():
        first = int(np.argmax(beyond))
        raise InputError(
            ErrorCode.REFERENCE,
            "a placement names a model that the level does not list",
            file=file.entry,
            offset=byte_of(spec.model, first, file.head),
            field=f"placements.{spec.model}",
            expected=f"a number below {len(listed)}",
            found=f"{int(numbers[first])}",
        )
    return tuple(listed), numbers


def _check_places(spec: PlacementsSpec, stored: _Stored, file: ParsedFile) -> None:
    """Everything stands somewhere."""
    for what in ("translation", "rotation", "scale"):
        values = getattr(stored, what)
        broken = ~np.isfinite(values).all(axis=1)
        if broken.any():
            first = int(np.argmax(broken))
            raise InputError(
                ErrorCode.MALFORMED,
                "something is placed nowhere",
                file=file.entry,
                offset=byte_of(spec.matrix or getattr(spec, what), first, file.head),
                field=f"placements[{first}].{what}",
                expected="finite numbers",
                found=str(values[first].tolist()),
                hint="The layout may read the placements from a wrong offset.",
            )

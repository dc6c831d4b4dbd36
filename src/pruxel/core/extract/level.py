"""Placements of a layout → which models stand where."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from pruxel.core.base.arrays import AnyArray, DoubleArray
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.binary.functions.rotations import unit_turns
from pruxel.core.binary.records import Record
from pruxel.core.binary.schema import ExpressionText
from pruxel.core.binary.values import array_of, matrix_of, numbers_of, value_of, whole_of, wholes_of
from pruxel.core.extract.conventions import turn_rotations, turning
from pruxel.core.extract.elements import bad
from pruxel.core.extract.file import ParsedFile, byte_of, rows
from pruxel.core.extract.placing import PlacingSpec, matrix_in
from pruxel.core.geometry.transforms import matrices_of, turns_of
from pruxel.core.scene.place import Placements

_DEEPEST, _MOST_TINTED = 64, 10_000


class PlacementsSpec(PlacingSpec):
    """What stands where. With `each` all is said of one placement; without it, of all at once, as arrays.

    `model` is a path or name, or a number into the list of texts `models`; a placement of none, an empty text or a
    number below zero, only holds others. A model may be another level.
    """

    each: ExpressionText | None = None
    """The records, one a placement; without it all is said of all at once, as arrays."""
    where: ExpressionText | None = None
    """A condition: which of them count."""
    models: ExpressionText | None = None
    """A list of texts that `model` counts in."""
    model: ExpressionText
    """A path or name, or a number; another level too. An empty text, or a number below zero, for none."""
    parent: ExpressionText | None = None
    """The number of the placement that it stands in, or below zero."""
    tint: ExpressionText | None = None
    """Three or four numbers that its colours are multiplied with."""


Tint = tuple[float, ...]


@dataclass(frozen=True, eq=False)
class Level:
    """Paths of models with the tint of each (None for its own colours), and where they stand."""

    models: tuple[str, ...]
    placements: Placements
    tints: tuple[Tint | None, ...] = ()

    def counts(self) -> list[int]:
        """How often each model stands."""
        return [int(number) for number in np.bincount(self.placements.model, minlength=len(self.models))]


@dataclass(frozen=True, eq=False)
class _Stored:
    """As the file has them: models by number or name, places in the file's axes, parents by place in the list."""

    model: AnyArray | list[str]
    translation: DoubleArray
    rotation: DoubleArray
    scale: DoubleArray
    parent: AnyArray | None = None
    tint: DoubleArray | None = None


def read_level(file: ParsedFile) -> Level:
    """All placements of a file; raises `InputError`."""
    spec = file.spec("placements", PlacementsSpec)
    stored = _at_once(spec, file.head, file.entry) if spec.each is None else _row_by_row(spec, file)
    names, numbers = _models(spec, stored, file)
    _check_places(spec, stored, file)
    translation, rotation, scale = stored.translation, unit_turns(stored.rotation), stored.scale
    if stored.parent is not None:
        translation, rotation, scale = _in_the_level(stored, spec, file)
    there = np.flatnonzero(numbers >= 0)
    models, which, tints = _tinted(names, numbers[there], None if stored.tint is None else stored.tint[there])
    how = turning(file.conventions)
    points, scales = translation[there] @ how.points, scale[there] @ np.abs(how.ours_from_file.T)
    return Level(models, Placements(which, points, turn_rotations(rotation[there], how), scales), tints)


def _tinted(
    names: tuple[str, ...], numbers: AnyArray, tint: DoubleArray | None
) -> tuple[tuple[str, ...], AnyArray, tuple[Tint | None, ...]]:
    """Each model once for every tint that it is placed with, and the number of each placement's."""
    if tint is None:
        return names, numbers, (None,) * len(names)
    kinds, which = np.unique(np.column_stack([numbers, np.round(tint, 3)]), axis=0, return_inverse=True)
    if len(kinds) > _MOST_TINTED:
        raise InputError(
            ErrorCode.BUDGET,
            "the level tints its models in more ways than one scene may hold",
            expected=f"at most {_MOST_TINTED:,} pairs of model and tint",
            found=f"{len(kinds):,}",
        )
    models = tuple(names[int(number)] for number in kinds[:, 0].tolist())
    tints = tuple(None if all(value == 1 for value in row) else tuple(row) for row in kinds[:, 1:].tolist())
    return models, which.reshape(-1), tints


def _in_the_level(
    stored: _Stored, spec: PlacementsSpec, file: ParsedFile
) -> tuple[DoubleArray, DoubleArray, DoubleArray]:
    """Where placements stand that stand in others; raises `InputError` for a ring."""
    parent = np.asarray(stored.parent)
    depth, above = np.zeros(len(parent), np.int64), parent
    while (hanging := above >= 0).any():
        depth += hanging
        if int(depth.max()) > _DEEPEST:
            first = int(np.argmax(depth))
            raise InputError(
                ErrorCode.REFERENCE,
                "placements stand in each other in a ring",
                file=file.entry,
                field=f"placements[{first}].{spec.parent}",
                expected=f"at most {_DEEPEST} levels of placements",
                hint="The layout may read the parent wrongly.",
            )
        above = np.where(hanging, parent[above], -1)
    world = matrices_of(stored.translation, unit_turns(stored.rotation), stored.scale)
    for level in range(1, int(depth.max(initial=0)) + 1):
        rows_here = np.flatnonzero(depth == level)
        world[rows_here] = world[parent[rows_here]] @ world[rows_here]
    return turns_of(world)


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
    tint = None if spec.tint is None else _opaque(array_of(spec.tint, scope, entry, 3, 4))
    parent = None if spec.parent is None else wholes_of(spec.parent, scope, entry).astype(np.int64)
    columns = {"translation": translation, "rotation": rotation, "scale": scale, "tint": tint, "parent": parent}
    for what, values in columns.items():
        if values is not None and len(values) not in {1, count}:
            raise bad(
                entry, scope, f"'{what}' should have one row for each of {count:,} placements", found=f"{len(values):,}"
            )
    places, turns, sizes = (np.broadcast_to(v, (count, v.shape[1])) for v in (translation, rotation, scale))
    tints = None if tint is None else np.broadcast_to(tint, (count, 4))
    parents = None if parent is None else _known_parents(np.broadcast_to(parent, count), range(count), scope, entry)
    return _Stored(model, places, turns, sizes, parents, tints)


def _opaque(tint: AnyArray) -> DoubleArray:
    """(n, 4): an alpha of 1 where there is none."""
    if tint.ndim != 2 or tint.shape[1] == 4:
        return tint.astype(np.float64).reshape(-1, 4)
    return np.column_stack([tint.astype(np.float64), np.ones(len(tint))])


def _known_parents(said: AnyArray, rows_there: Sequence[int], scope: Record, entry: str) -> AnyArray:
    """For each placement the place of its parent among those that count, or -1.

    `said` counts the items of `each`, also those left out; what stands in such a one stands by itself.
    """
    place = {row: number for number, row in enumerate(rows_there)}
    most = max(rows_there, default=-1)
    beyond = said > most
    if beyond.any():
        found = str(int(said[int(np.argmax(beyond))]))
        raise bad(
            entry, scope, "a placement stands in one that is not there", expected=f"below {most + 1}", found=found
        )
    return np.array([place.get(one, -1) for one in said.tolist()], np.int64)


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
    numbers, parents, tints = list[int](), list[int](), list[tuple[float, ...]]()
    for row in rows(spec.each, spec.where, file.head, file.entry):
        models.append(value_of(spec.model, row, file.entry))
        matrices.append(matrix_in(spec, row, file.entry))
        numbers.append(int(row.values["row"]))
        if spec.parent is not None:
            parents.append(whole_of(spec.parent, row, file.entry))
        if spec.tint is not None:
            tints.append((*numbers_of(spec.tint, row, file.entry, 3, 4), 1.0)[:4])
    parts = turns_of(np.stack(matrices) if matrices else np.zeros((0, 4, 4)))
    parent = _known_parents(np.asarray(parents, np.int64), numbers, file.head, file.entry) if spec.parent else None
    tint = np.asarray(tints).reshape(-1, 4) if spec.tint else None
    if models and all(isinstance(model, int) for model in models):
        return _Stored(np.asarray(models), *parts, parent=parent, tint=tint)
    return _Stored([str(model) for model in models], *parts, parent=parent, tint=tint)


def _models(spec: PlacementsSpec, stored: _Stored, file: ParsedFile) -> tuple[tuple[str, ...], AnyArray]:
    """The paths, and the number of each placement's: -1 where there is none."""
    if spec.models is None:
        names = [str(one) for one in (stored.model if isinstance(stored.model, list) else stored.model.tolist())]
        known = tuple(name for name in dict.fromkeys(names) if name)
        at = {name: number for number, name in enumerate(known)} | {"": -1}
        return known, np.array([at[name] for name in names], np.int64)
    listed = value_of(spec.models, file.head, file.entry)
    if not isinstance(listed, list) or not all(isinstance(one, str) for one in listed):
        raise bad(file.entry, file.head, "'models' should be a list of texts")
    if isinstance(stored.model, list) or np.asarray(stored.model).dtype.kind not in "iu":
        raise bad(file.entry, file.head, "'model' should be a number into 'models'")
    numbers = np.maximum(np.asarray(stored.model).astype(np.int64), -1)
    beyond = numbers >= len(listed)
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
    return tuple(listed), np.asarray(numbers)


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

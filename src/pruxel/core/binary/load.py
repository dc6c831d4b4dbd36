"""Load a layout from YAML text; all that is wrong with it is told at once, with line and column."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, TypeVar

import yaml
from pydantic import BaseModel, ValidationError

from pruxel.core.base.errors import ErrorCode, Fault, InputError
from pruxel.core.binary.include import Known, with_included
from pruxel.core.binary.schema import Layout, is_type
from pruxel.core.binary.yaml_text import parse_yaml

_MOST = 100
M = TypeVar("M", bound=BaseModel)


def validation_words(error: ValidationError) -> tuple[str, str]:
    """The place and the words of the first thing that Pydantic found wrong."""
    return _told(error.errors(include_url=False)[0])


def _told(one: Mapping[str, Any]) -> tuple[str, str]:
    """Place and words, ours where Pydantic's speak of Python."""
    place = [str(step) for step in one["loc"]]
    words = str(one["msg"]).removeprefix("Value error, ")
    match one["type"]:
        case "extra_forbidden":
            words = f"there is no key '{place[-1]}' here" if place else words
        case "missing":
            words = f"'{place[-1]}' is missing" if place else words
        case "literal_error":
            words = f"should be {one['ctx']['expected']}, not {_short(one['input'])}"
        case "model_type" | "dict_type" | "mapping_type":
            words = f"should be keys with values, not {_short(one['input'])}"
        case "tuple_type" | "list_type":
            words = f"should be a list, not {_short(one['input'])}"
        case "string_type":
            words = f"should be a text, not {_short(one['input'])}"
        case "string_pattern_mismatch":
            words = f"{_short(one['input'])} is no name: lower-case letters, digits and _"
    return ".".join(place), words


def _short(value: object) -> str:
    said = repr(value) if isinstance(value, str | int | float) else f"a {type(value).__name__}"
    said = {"a list": "a list", "a dict": "keys with values", "a NoneType": "nothing"}.get(said, said)
    return said if len(said) <= 60 else f"{said[:60]}…"


def load_layout(text: str, name: str, known: Known | None = None) -> Layout:
    """Build a layout from YAML text; raises `InputError` that names the first place, and how many others there are.

    `known` are the layouts that it may include.
    """
    return loaded(*read_layout(text, name, known))


def loaded(layout: Layout | None, faults: Sequence[Fault]) -> Layout:
    """The layout that was read; raises `InputError` with the first fault where there is none."""
    if layout is None or faults:
        error = InputError.of(faults[0])
        raise error
    return layout


def read_layout(text: str, name: str, known: Known | None = None) -> tuple[Layout | None, list[Fault]]:
    """The layout, where there is one, and all that is wrong with the text."""
    try:
        plain = parse_yaml(text, name)
    except InputError as error:
        return None, [error.fault]
    return read_parsed(plain, text, name, known)


def read_parsed(plain: object, text: str, name: str, known: Known | None) -> tuple[Layout | None, list[Fault]]:
    """The same of a text that is parsed already."""
    try:
        whole = with_included(plain, known or {}) if isinstance(plain, dict) else plain
    except ValueError as error:
        return None, [fault_at(("include",), str(error), key_marks(text), name)]
    types = _unknown_types(whole)
    try:
        return Layout.model_validate(whole), []
    except ValidationError as error:
        # Of the whole only the first unknown type is told; each of them stands in a line of its own.
        others = [one for one in error.errors(include_url=False)[:_MOST] if one["loc"] or not types]
        return None, layout_faults([*others, *types], text, name)


def _unknown_types(plain: object) -> list[Mapping[str, Any]]:
    """Every field whose type is unknown, told as Pydantic tells mistakes, also where other keys are wrong."""
    records = plain.get("records") if isinstance(plain, dict) else None
    if not isinstance(records, dict):
        return []
    found = list[Mapping[str, Any]]()
    for record, fields in records.items():
        for number, spec in enumerate(fields if isinstance(fields, list) else ()):
            kind = spec.get("type") if isinstance(spec, dict) else None
            if isinstance(kind, str) and not is_type(kind, records):
                words = f"'{kind}' is neither a type nor a record"
                found.append({"type": "value_error", "loc": ("records", str(record), number, "type"), "msg": words})
    return found[:_MOST]


def layout_faults(errors: Sequence[Mapping[str, Any]], text: str, name: str, within: Sequence[str] = ()) -> list[Fault]:
    """What Pydantic found wrong, each with the line and column of its key; `within` are the keys above."""
    marks = key_marks(text)
    found = []
    for one in errors:
        place, words = _told(one)
        found.append(fault_at((*within, *(str(step) for step in one["loc"])), words, marks, name, place))
    return found


def fault_at(
    keys: Sequence[str], words: str, marks: Mapping[tuple[str, ...], tuple[int, int]], name: str, place: str = ""
) -> Fault:
    """A fault at a key, or at the nearest one above that the text has."""
    path = tuple(keys)
    while path and path not in marks:
        path = path[:-1]
    line, column = marks.get(path, (1, 1))
    where = place or ".".join(keys)
    return Fault(
        ErrorCode.LAYOUT,
        f"the layout does not hold together: {words}",
        file=name,
        field=f"line {line}, column {column}, {where}" if where else f"line {line}, column {column}",
        hint="docs/layouts.md lists what each key may say.",
    )


def key_marks(text: str) -> dict[tuple[str, ...], tuple[int, int]]:
    """Line and column (from 1) of each key and item of a YAML text, by the keys that lead there."""
    marks: dict[tuple[str, ...], tuple[int, int]] = {}
    try:
        root = yaml.compose(text, Loader=yaml.CSafeLoader)
    except yaml.YAMLError:
        return marks
    waiting: list[tuple[tuple[str, ...], yaml.Node | None]] = [((), root)]
    while waiting:
        path, node = waiting.pop()
        if len(path) > 16 or len(marks) > 100_000:
            continue
        if isinstance(node, yaml.MappingNode):
            for key, value in node.value:
                below = (*path, str(key.value))
                marks[below] = (key.start_mark.line + 1, key.start_mark.column + 1)
                waiting.append((below, value))
        elif isinstance(node, yaml.SequenceNode):
            for number, value in enumerate(node.value):
                below = (*path, str(number))
                marks[below] = (value.start_mark.line + 1, value.start_mark.column + 1)
                waiting.append((below, value))
    return marks


def section(layout: Layout, kind: str, model: type[M]) -> M:
    """What the layout's `yields` says of a kind of thing, in its typed form; raises `InputError` that names the key."""
    try:
        return model.model_validate(layout.yields.get(kind, {}))
    except ValidationError as error:
        place, words = validation_words(error)
        raise InputError(
            ErrorCode.LAYOUT,
            f"'yields' does not describe {kind}: {words}",
            file=layout.layout,
            field=f"{kind}.{place}" if place else kind,
        ) from error

"""YAML from strangers: read in time and memory in proportion to the text, or refused with the place.

Aliases count as often as they are used, so that a short text cannot stand for a large value.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import yaml

from pruxel.core.base.errors import ErrorCode, InputError

_MOST_VALUES = 2_000_000
_MOST_ALIASED = 100_000
_DEEPEST = 64
_INT, _FLOAT, _TIME = "tag:yaml.org,2002:int", "tag:yaml.org,2002:float", "tag:yaml.org,2002:timestamp"


class _Loader(yaml.CSafeLoader):
    """The safe loader, for which dates are texts."""


_Loader.yaml_implicit_resolvers = {
    first: [(tag, pattern) for tag, pattern in known if tag != _TIME]
    for first, known in yaml.CSafeLoader.yaml_implicit_resolvers.items()
}


def _scalar(loader: _Loader, node: yaml.ScalarNode) -> object:
    """Numbers as the safe loader reads them; what it cannot read is told with its place."""
    try:
        return yaml.CSafeLoader.yaml_constructors[node.tag](loader, node)
    except (ValueError, OverflowError, ArithmeticError) as error:
        shown = node.value if len(node.value) <= 40 else f"{node.value[:40]}…"
        raise yaml.constructor.ConstructorError(
            None, None, f"'{shown}' is no number or date", node.start_mark
        ) from error


for _tag in (_INT, _FLOAT, _TIME):
    _Loader.add_constructor(_tag, _scalar)


@dataclass
class _Open:
    """A list or mapping that has begun: its anchor, and how many values stand in it so far."""

    anchor: str | None
    values: int = 1
    aliased: int = 0


def _measure(text: str, name: str) -> None:
    """Raise when the text stands for more values than it may, or deeper ones."""
    known: dict[str, int] = {}
    stack = [_Open(None)]
    for event in yaml.parse(text, Loader=_Loader):
        if isinstance(event, yaml.CollectionStartEvent):
            stack.append(_Open(event.anchor))
            if len(stack) > _DEEPEST:
                raise _refused(name, event, "it is nested too deeply", f"at most {_DEEPEST} levels")
        elif isinstance(event, yaml.CollectionEndEvent):
            ended = stack.pop()
            stack[-1].values += ended.values
            stack[-1].aliased += ended.aliased
            if ended.anchor is not None:
                known[ended.anchor] = ended.values
        elif isinstance(event, yaml.AliasEvent):
            if event.anchor not in known:
                raise _refused(name, event, f"'*{event.anchor}' stands for nothing that is whole before it", None)
            stack[-1].values += known[event.anchor]
            stack[-1].aliased += known[event.anchor]
        elif isinstance(event, yaml.ScalarEvent):
            stack[-1].values += 1
            if event.anchor is not None:
                known[event.anchor] = 1
        if stack[-1].values > _MOST_VALUES:
            raise _refused(name, event, "it stands for too many values", f"at most {_MOST_VALUES:,}")
        if stack[-1].aliased > _MOST_ALIASED:
            raise _refused(name, event, "its aliases stand for too many values", f"at most {_MOST_ALIASED:,}")


def _refused(name: str, event: Any, message: str, expected: str | None) -> InputError:  # noqa: ANN401 - YAML's events
    mark = event.start_mark
    place = f"line {mark.line + 1}, column {mark.column + 1}"
    return InputError(ErrorCode.BUDGET, message, file=name, field=place, expected=expected)


def parse_yaml(text: str, name: str) -> object:
    """The value of a YAML text; raises `InputError` that names line and column."""
    try:
        _measure(text, name)
        return yaml.load(text, Loader=_Loader)  # noqa: S506 - a safe loader
    except yaml.YAMLError as error:
        mark = getattr(error, "problem_mark", None)
        place = f"line {mark.line + 1}, column {mark.column + 1}" if mark else None
        raise InputError(
            ErrorCode.LAYOUT,
            f"not valid YAML: {getattr(error, 'problem', None) or error}",
            file=name,
            field=place,
        ) from error
    except (ValueError, TypeError, RecursionError) as error:
        raise InputError(ErrorCode.LAYOUT, f"not valid YAML: {error}", file=name) from error


def with_item(text: str, key: str, item: object) -> str:
    """A YAML text with one more item, the first, in the list of a top-level key; all else stays to the letter.

    Raises `InputError` where the text is no mapping, or holds something else than a list there.
    """
    line = "- " + yaml.dump(item, Dumper=yaml.CSafeDumper, default_flow_style=True, sort_keys=False, allow_unicode=True,
                            width=1 << 30).strip()  # fmt: skip
    parse_yaml(text, "the text")
    root = yaml.compose(text, Loader=_Loader)
    if root is None:
        return f"{text}{key}:\n  {line}\n"
    pairs = root.value if isinstance(root, yaml.MappingNode) and not root.flow_style else None
    if pairs is None:
        raise InputError(ErrorCode.LAYOUT, "the text should be keys with values, a line each")
    value = next((value for name, value in pairs if name.value == key), None)
    if value is None:
        return f"{text.rstrip()}\n{key}:\n  {line}\n"
    nothing = isinstance(value, yaml.ScalarNode) and value.value in {"", "~", "null"}
    if not nothing and not isinstance(value, yaml.SequenceNode):
        raise InputError(ErrorCode.LAYOUT, f"'{key}' should be a list", field=f"line {value.start_mark.line + 1}")
    at = value.start_mark.index
    if nothing:
        end = value.end_mark.index
        return f"{text[:at]}\n  {line}{text[end:]}"
    if value.flow_style:
        rest = ", " if value.value else ""
        return f"{text[: at + 1]}{line[2:]}{rest}{text[at + 1 :]}"
    return f"{text[:at]}{line}\n{' ' * value.start_mark.column}{text[at:]}"


def write_yaml(value: object) -> str:
    """Plain values as YAML text, mappings in their own order."""
    text: str = yaml.dump(value, Dumper=yaml.CSafeDumper, sort_keys=False, allow_unicode=True, width=110)
    return text

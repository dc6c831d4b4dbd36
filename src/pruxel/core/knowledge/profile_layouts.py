"""A layout put into the text of a profile, everything else of the text left as it is."""

from __future__ import annotations

import yaml

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.binary.yaml_text import parse_yaml, write_yaml
from pruxel.core.knowledge.layout_files import Written, load_together, written_in

_HEAD = "profile: 1\nname: {name}\n"


def with_layout(profile: str, layout: str, name: str) -> str:
    """The profile's text with a layout in it, in place of the one of the same name if there is one.

    `name` is what a profile that does not exist yet is called. Raises `InputError` when the layout does not hold
    together or the text is no profile.
    """
    said = written_in(layout, "the layout")
    own = said.name
    text = profile if profile.strip() else _HEAD.format(name=write_yaml(name).splitlines()[0])
    plain = parse_yaml(text, "profile")
    if not isinstance(plain, dict):
        raise InputError(ErrorCode.LAYOUT, "the profile is no list of keys with values", file="profile")
    listed = plain.get("layouts") or []
    wanted = [one for one in listed if not (isinstance(one, dict) and one.get("layout") == own)]
    load_together([*(Written("profile", one) for one in wanted if isinstance(one, dict)), said], "the layout")
    found = _spliced(text, layout, own)
    held = parse_yaml(found, "profile") if found else None
    got = held.get("layouts") if isinstance(held, dict) else None
    if (
        isinstance(got, list)
        and said.plain in got
        and all(one in got for one in wanted)
        and len(got) == len(wanted) + 1
    ):
        return found
    # A text of unusual make is written anew: its comments go, its values stay.
    return write_yaml(plain | {"layouts": [*wanted, said.plain]})


def _spliced(text: str, layout: str, name: str) -> str:
    """The text with the layout as an item of its list; empty where the list is written in another way."""
    root = yaml.compose(text, Loader=yaml.CSafeLoader)
    if not isinstance(root, yaml.MappingNode) or root.flow_style:
        return ""
    node = next((value for key, value in root.value if key.value == "layouts"), None)
    if node is None:
        return f"{text.rstrip()}\nlayouts:\n{_item(layout, 2)}"
    if not isinstance(node, yaml.SequenceNode) or node.flow_style or not node.value:
        return ""
    lines = text.splitlines(keepends=True)
    indent = node.start_mark.column
    starts = [_dash(one.start_mark.line, lines) for one in node.value]
    for number, one in enumerate(node.value):
        if isinstance(one, yaml.MappingNode) and any(k.value == "layout" and v.value == name for k, v in one.value):
            end = _end_line(one, lines)
            return "".join(lines[: starts[number]]) + _item(layout, indent) + "".join(lines[end:])
    end = _end_line(node.value[-1], lines)
    head = "".join(lines[:end])
    return head + ("" if head.endswith("\n") else "\n") + _item(layout, indent) + "".join(lines[end:])


def _dash(line: int, lines: list[str]) -> int:
    """The line of an item's dash: comments may stand between it and the first key."""
    while line and not lines[line].lstrip().startswith("-"):
        line -= 1
    return line


def _end_line(node: yaml.Node, lines: list[str]) -> int:
    """The line behind an item: comments and empty lines below it belong to what follows."""
    mark = node.end_mark
    end = min(mark.line if mark.column == 0 else mark.line + 1, len(lines))
    while end > node.start_mark.line + 1 and (not lines[end - 1].strip() or lines[end - 1].lstrip().startswith("#")):
        end -= 1
    return end


def _item(layout: str, indent: int) -> str:
    """The layout's text as an item of a list."""
    lines = [line for line in layout.strip("\n").splitlines() if line.strip() != "---"]
    first, rest = " " * indent + "- ", " " * (indent + 2)
    return "".join(f"{first if n == 0 else rest}{line}".rstrip() + "\n" for n, line in enumerate(lines))

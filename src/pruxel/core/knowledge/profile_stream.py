"""A profile as one file of any size: what a game is like first, then the names that are known, one a line.

The names may be millions; they are written and read a handful at a time, as the YAML that they are.
"""

from __future__ import annotations

import io
import re
from collections.abc import Iterable, Iterator, Sequence
from itertools import islice

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.binary.schema import Layout
from pruxel.core.binary.yaml_text import parse_yaml, write_yaml
from pruxel.core.knowledge.profile import ProfileFile
from pruxel.core.knowledge.profile_files import write_profile

_HEAD = "known_names:\n"
_BATCH = 5000
_NAMES = re.compile(r"^known_names:[ \t]*\r?\n(?=[ \t]*- )", re.MULTILINE)
_LINE = re.compile(r"[ \t]*- ")


def profile_pieces(spec: ProfileFile, layouts: Sequence[Layout], names: Iterable[str]) -> Iterator[str]:
    """The file in pieces: the profile without names, then `names` in the order that they come."""
    yield write_profile(spec.model_copy(update={"known_names": ()}), layouts)
    walk, begun = iter(names), False
    while batch := list(islice(walk, _BATCH)):
        if not begun:
            yield _HEAD
            begun = True
        yield write_yaml(batch)


def without_names(text: str, name: str) -> tuple[str, list[str]]:
    """A profile's text without its list of known names, and the names.

    Where they do not stand one a line, as we write them, the text stays as it is. Raises `InputError` for a line that
    is no name.
    """
    found = _NAMES.search(text)
    if found is None:
        return text, []
    end, names = found.end(), list[str]()
    lines = io.StringIO(text[found.end() :])
    batch: list[str] = []
    for line in lines:
        if not _LINE.match(line):
            break
        batch.append(line)
        end += len(line)
        if len(batch) == _BATCH:
            names += _parsed(batch, name)
            batch = []
    names += _parsed(batch, name)
    return text[: found.start()] + text[end:], names


def _parsed(lines: list[str], name: str) -> list[str]:
    if not lines:
        return []
    indent = len(lines[0]) - len(lines[0].lstrip())
    found = parse_yaml("".join(line[indent:] for line in lines), name)
    if not isinstance(found, list) or not all(isinstance(one, str) for one in found):
        raise InputError(ErrorCode.LAYOUT, "a known name is no text", file=name, field="known_names")
    return found

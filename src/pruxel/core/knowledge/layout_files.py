"""Layouts as they lie in files and profiles: each loaded with what it includes of the others."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from pydantic import ValidationError

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.binary.include import Known, in_order, included_by, with_included
from pruxel.core.binary.load import load_layout, loaded, read_parsed, validation_words
from pruxel.core.binary.schema import Layout
from pruxel.core.binary.yaml_text import parse_yaml
from pruxel.core.disk.files import read_text


@dataclass(frozen=True)
class Written:
    """A layout as it is written: `where` it stands, what it says, and the text of its own file if it has one."""

    where: str
    plain: object
    text: str | None = None

    @property
    def name(self) -> str:
        """What it calls itself."""
        return str(self.plain.get("layout", "")) if isinstance(self.plain, Mapping) else ""

    def loaded(self, known: Known) -> Layout:
        """The layout with what it includes; raises `InputError`."""
        if self.text is not None:
            return loaded(*read_parsed(self.plain, self.text, self.where, known))
        try:
            return Layout.model_validate(with_included(self.plain, known) if isinstance(self.plain, dict) else {})
        except ValidationError as error:
            place, words = validation_words(error)
            raise self._failure(words, f"layouts.{self.name or '?'}.{place}") from error
        except ValueError as error:
            raise self._failure(str(error), f"layouts.{self.name or '?'}.include") from error

    def _failure(self, words: str, field: str) -> InputError:
        return InputError(
            ErrorCode.LAYOUT, f"a layout in the profile does not hold together: {words}", file=self.where, field=field
        )


def written_in(text: str, where: str) -> Written:
    """A layout from its text; raises `InputError`."""
    return Written(where, parse_yaml(text, where), text)


def load_together(written: Sequence[Written], where: str) -> list[Layout]:
    """All layouts, in the order in which they are given; raises `InputError`, for a ring of includes too."""
    try:
        order = list(in_order({one.name: one.plain for one in written}))
    except ValueError as error:
        raise InputError(ErrorCode.LAYOUT, str(error), file=where) from error
    known: dict[str, Layout] = {}
    found: dict[int, Layout] = {}
    for number in sorted(range(len(written)), key=lambda number: order.index(written[number].name)):
        found[number] = written[number].loaded(known)
        known[found[number].layout] = found[number]
    return [found[number] for number in range(len(written))]


def known_beside(path: Path, text: str) -> Known:
    """What a layout in a file includes of the other layouts in its folder; files that are none are passed over."""
    wanted = list(included_by(parse_yaml(text, path.name)))
    if not wanted:
        return {}
    others = dict[str, Written]()
    for file in sorted([*path.parent.glob("*.yaml"), *path.parent.glob("*.yml")]):
        try:
            one = written_in(read_text(file), file.name)
        except InputError:
            continue
        if one.name and file != path:
            others.setdefault(one.name, one)
    needed = dict[str, Written]()
    while wanted:
        name = wanted.pop()
        if name in others and name not in needed:
            needed[name] = others[name]
            wanted += included_by(others[name].plain)
    return {one.layout: one for one in load_together(list(needed.values()), path.name)}


def load_layout_file(path: Path) -> Layout:
    """The layout in a file, with what it includes of those beside it; raises `InputError`."""
    text = read_text(path)
    return load_layout(text, path.name, known_beside(path, text))

"""One file read by a layout: its records, from which everything that it yields is taken."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import TypeVar

from pydantic import BaseModel

from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.binary.conventions import Conventions
from pruxel.core.binary.expressions import compile_expression
from pruxel.core.binary.load import section
from pruxel.core.binary.parse import parse
from pruxel.core.binary.reading import Beside
from pruxel.core.binary.records import Record, Table
from pruxel.core.binary.schema import Layout
from pruxel.core.binary.values import each_of, truth_of
from pruxel.core.scene.origin import Origin

M = TypeVar("M", bound=BaseModel)


@dataclass(frozen=True, eq=False)
class ParsedFile:
    """The records of an entry, with the layout that read them and the conventions that its numbers follow."""

    layout: Layout
    head: Record
    entry: str
    conventions: Conventions
    notes: tuple[str, ...] = ()

    @property
    def stem(self) -> str:
        """The entry's name without folder and ending."""
        return self.entry.rsplit("/", 1)[-1].rsplit(".", 1)[0]

    def origin(self, each: str | None, row: int, start: int) -> Origin:
        """Where something that the file yields comes from."""
        return Origin(
            entry=self.entry, record=f"{each or 'file'}[{row}]", start=start, conventions=self._conventions_in_words
        )

    @cached_property
    def _conventions_in_words(self) -> str:
        return self.conventions.words()

    def yields(self, kind: str) -> bool:
        """Whether the layout says how to take things of this kind."""
        return kind in self.layout.yields

    def spec(self, kind: str, model: type[M]) -> M:
        """What the layout says of a kind of thing, in its typed form; raises `InputError` that names the key."""
        return section(self.layout, kind, model)


def parse_file(
    data: memoryview,
    layout: Layout,
    entry: str,
    defaults: Conventions,
    context: Context,
    beside: Beside | None = None,
) -> ParsedFile:
    """Read the records of a file; raises `InputError`. `beside` gives the bytes of files by their names."""
    return ParsedFile(layout, parse(layout, data, entry, context, beside=beside), entry, layout.conventions or defaults)


def first_that_reads(
    layouts: Sequence[Layout],
    data: memoryview,
    entry: str,
    defaults: Conventions,
    context: Context,
    beside: Beside | None = None,
) -> ParsedFile:
    """The file as the first layout that can reads it; the others that claim it stand in its notes.

    Raises `InputError`, the first layout's, when none can.
    """
    failed: list[tuple[Layout, InputError]] = []
    for number, layout in enumerate(layouts):
        try:
            file = parse_file(data, layout, entry, defaults, context, beside)
        except InputError as error:
            failed.append((layout, error))
            continue
        others = [f"layout '{one.layout}' does not read it: {error.fault.line()}" for one, error in failed]
        others += [f"layout '{one.layout}' claims it too" for one in layouts[number + 1 :]]
        return replace(file, notes=tuple(f"{entry} is read by layout '{layout.layout}'; {one}" for one in others))
    raise failed[0][1]


def byte_of(text: str | None, row: int, scope: Record) -> int:
    """Where what an expression is made of stands in the file: row `row` of the field that it starts from."""
    for name in sorted(compile_expression(text or "0").names):
        value = scope.values.get(name)
        if isinstance(value, Table):
            return value.start + row * value.array.dtype.itemsize
        if name in scope.spans:
            return scope.spans[name][0]
    return scope.start


def rows(each: str | None, where: str | None, scope: Record, entry: str) -> Iterator[Record]:
    """The items that a section goes over, those left out for which `where` does not hold."""
    return (row for row in each_of(each, scope, entry) if truth_of(where, row, entry, otherwise=True))

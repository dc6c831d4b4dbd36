"""Where a source's own bytes come from: a file on disk, or an entry of another source."""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.disk.below import HEAD_BYTES, First
from pruxel.core.disk.files import map_file, steady
from pruxel.core.sources.base import Source

INSIDE = "!"


def split_address(address: str) -> tuple[Path, list[str]]:
    """The place on disk of an address, and the entries looked into.

    A folder's or file's own name may hold a `!`: the longest beginning that is there counts, else the shortest.
    """
    parts = address.split(INSIDE)
    for number in range(len(parts), 1, -1):
        outer = INSIDE.join(parts[:number])
        if os.path.lexists(outer):
            return Path(outer), parts[number:]
    return Path(parts[0]), parts[1:]


@dataclass(frozen=True)
class Origin:
    """Bytes that are opened only when they are needed.

    `name` is what people see; `address` finds the bytes again: a path, with `!` before each entry looked into;
    `beside` opens another volume of the same pack by its file name, or gives None when it is not there; `file` is the
    place on disk where there is one.
    """

    name: str
    address: str
    open: Callable[[], memoryview]
    beside: Callable[[str], memoryview | None]
    file: Path | None = None

    def first(self) -> First:
        """What recognising the format takes."""
        data = self.open()
        return First(bytes(steady(data[:HEAD_BYTES])), len(data))


def origin_of_file(path: Path) -> Origin:
    """A file on disk, mapped and never read whole."""

    def beside(name: str) -> memoryview | None:
        other = path.parent / name
        inside = other.resolve().parent == path.parent.resolve()
        return map_file(other) if inside and other.is_file() else None

    return Origin(path.name, str(path), lambda: map_file(path), beside, path)


def origin_inside(source: Source, address: str, path: str, context: Context) -> Origin:
    """An entry of a source; raises `InputError` when packs lie in packs deeper than the budget."""
    depth = address.count(INSIDE) + 1
    if depth > context.limits.nesting:
        raise InputError(
            ErrorCode.BUDGET,
            "packs lie in packs deeper than any real game needs",
            file=f"{address}{INSIDE}{path}",
            expected=f"at most {context.limits.nesting} levels",
            found=f"level {depth}",
            hint="Extract the inner pack and mount it by itself.",
        )
    kept: list[memoryview] = []

    def load() -> memoryview:
        if not kept:
            kept.append(source.read(path, context))
        return kept[0]

    def beside(name: str) -> memoryview | None:
        folder = path.rpartition("/")[0]
        try:
            return source.read(f"{folder}/{name}" if folder else name, context)
        except InputError:
            return None

    return Origin(path.rsplit("/", 1)[-1], f"{address}{INSIDE}{path}", load, beside)

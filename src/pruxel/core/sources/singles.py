"""Single compressed files among loose ones: each is there as it came, and beside it as what is inside."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

from pruxel.core.base.context import Context
from pruxel.core.knowledge.kinds import ending_of
from pruxel.core.sources.archives import ArchiveSource, archive_form
from pruxel.core.sources.origin import origin_of_file


def is_single(head: bytes, name: str) -> bool:
    """Whether these first bytes begin one compressed file, rather than an archive."""
    return archive_form(head, name) == "raw"


@dataclass(frozen=True)
class Neighbours:
    """The names in one folder, and of those that differ in their ending alone the first."""

    names: frozenset[str]
    first: Mapping[str, str]


def neighbours(folder: Path) -> Neighbours:
    """What stands in a folder; nothing where it cannot be listed."""
    try:
        names = sorted(path.name for path in folder.iterdir())
    except OSError:
        names = []
    first: dict[str, str] = {}
    for name in names:
        first.setdefault(name.rpartition(".")[0], name)
    return Neighbours(frozenset(names), first)


def inner_path(path: Path, beside: Neighbours) -> Path:
    """Where the inside of a compressed file stands: its place without the last ending.

    Where something stands there already (`a.json` beside `a.json.gz`, or `a.json.bz2`), the whole name stays and gets
    the inner ending once more, so that nothing is hidden.
    """
    plain = path.with_suffix("") if path.suffix else path.with_name(f"{path.name}.unpacked")
    if plain.name not in beside.names and beside.first.get(plain.name, path.name) == path.name:
        return plain
    inner = ending_of(plain.name)
    return path.with_name(f"{path.name}.{inner or 'unpacked'}")


def holder_of(inner: Path) -> Path | None:
    """The compressed file that a path stands inside, or None."""
    beside = neighbours(inner.parent)
    for name in sorted(beside.names):
        place = inner.parent / name
        near = name.rpartition(".")[0] == inner.name or inner.name.startswith(f"{name}.")
        if near and place.is_file() and inner_path(place, beside) == inner:
            origin = origin_of_file(place)
            if is_single(origin.first().head, name):
                return place
    return None


def unpacked(holder: Path, context: Context) -> memoryview:
    """The bytes inside; raises `InputError`."""
    source = ArchiveSource(origin_of_file(holder), "raw")
    [only] = source.listing(context).entries
    return source.read(only.path, context)

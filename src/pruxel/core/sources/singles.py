"""Single compressed files among loose ones: each is there as it came, and beside it as what is inside."""

from __future__ import annotations

from pathlib import Path

from pruxel.core.base.context import Context
from pruxel.core.sources.archives import ArchiveSource, archive_form
from pruxel.core.sources.kinds import ending_of
from pruxel.core.sources.origin import origin_of_file


def is_single(head: bytes, name: str) -> bool:
    """Whether these first bytes begin one compressed file, rather than an archive."""
    return archive_form(head, name) == "raw"


def inner_path(path: Path) -> Path:
    """Where the inside of a compressed file stands: its place without the last ending.

    Where something stands there already (`a.json` beside `a.json.gz`, or `a.json.bz2`), the whole name stays and gets
    the inner ending once more, so that nothing is hidden.
    """
    plain = path.with_suffix("") if path.suffix else path.with_name(f"{path.name}.unpacked")
    rivals = (name for name in _names(path.parent) if name.rpartition(".")[0] == plain.name)
    if not plain.exists() and min(rivals, default=path.name) == path.name:
        return plain
    inner = ending_of(plain.name)
    return path.with_name(f"{path.name}.{inner or 'unpacked'}")


def holder_of(inner: Path) -> Path | None:
    """The compressed file that a path stands inside, or None."""
    for name in _names(inner.parent):
        place = inner.parent / name
        near = name.rpartition(".")[0] == inner.name or inner.name.startswith(f"{name}.")
        if near and place.is_file() and inner_path(place) == inner and is_single(_head(place), name):
            return place
    return None


def unpacked(holder: Path, context: Context) -> memoryview:
    """The bytes inside; raises `InputError`."""
    source = ArchiveSource(origin_of_file(holder), "raw")
    [only] = source.listing(context).entries
    return source.read(only.path, context)


def _names(folder: Path) -> list[str]:
    try:
        return sorted(path.name for path in folder.iterdir())
    except OSError:
        return []


def _head(path: Path) -> bytes:
    with path.open("rb") as handle:
        return handle.read(16)

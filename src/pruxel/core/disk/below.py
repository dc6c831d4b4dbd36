"""Files below a folder: walked, named and opened without ever leaving it, whatever links lie in it."""

from __future__ import annotations

import os
import stat
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import NamedTuple

from pruxel.core.base.errors import ErrorCode, Fault, InputError
from pruxel.core.disk.files import unreadable
from pruxel.core.disk.names import is_sound, shown_part, unique_name

# So many first bytes tell what a file is.
HEAD_BYTES = 512


def walk_files(root: Path, faults: list[Fault] | None = None) -> Iterator[tuple[str, Path]]:
    """Shown path and place of every file: a folder's own first, by name, then those of its folders.

    Links are followed to files within the root only, to folders never. What cannot be listed is told in `faults`.
    """
    base = _real(root)
    waiting: list[tuple[str, Path]] = [("", base)]
    while waiting:
        shown, folder = waiting.pop()
        try:
            with os.scandir(folder) as found:
                entries = sorted(found, key=lambda entry: entry.name)
        except OSError as error:
            if faults is not None:
                faults.append(unreadable(shown or root.name, error).fault)
            continue
        names = _shown_names([entry.name for entry in entries])
        inner: list[tuple[str, Path]] = []
        for entry in entries:
            path = f"{shown}/{names[entry.name]}" if shown else names[entry.name]
            if faults is not None and names[entry.name] != entry.name:
                faults.append(_odd_name(entry.name, path))
            place = folder / entry.name
            if entry.is_dir(follow_symlinks=False):
                inner.append((path, place))
            elif _is_file(entry) and (not entry.is_symlink() or _real(place).is_relative_to(base)):
                yield path, place
        waiting += reversed(inner)


def _real(place: Path) -> Path:
    """Where a place lies once every link is followed; links in a circle are no error, but nowhere."""
    return Path(os.path.realpath(place))


def _is_file(entry: os.DirEntry[str]) -> bool:
    try:
        return entry.is_file()
    except OSError:  # a link that leads in a circle
        return False


def _shown_names(names: Sequence[str]) -> dict[str, str]:
    """How each name of a folder is shown: as it is, unless something in it could not be seen or told."""
    odd = [name for name in names if not is_sound(name)]
    if not odd:
        return {name: name for name in names}
    taken = {name.lower() for name in names if is_sound(name)}
    return {name: name for name in names} | {name: unique_name(shown_part(name), taken) for name in odd}


def _odd_name(name: str, path: str) -> Fault:
    return Fault(
        ErrorCode.UNSAFE_NAME,
        "the name of a file or folder holds what nobody would see",
        file=path,
        found=ascii(name)[:200],
        hint=f"It is shown as '{path.rsplit('/', 1)[-1]}'.",
    )


def find_below(root: Path, path: str) -> Path | None:
    """Where the file or folder that is shown under a path lies; None when it does not, or lies outside the root."""
    place = root
    for part in path.split("/"):
        if part in {"", ".", ".."} or "\0" in part:
            return None
        if not os.path.lexists(place / part):
            try:
                names = _shown_names(sorted(found.name for found in place.iterdir()))
            except OSError:
                return None
            part = next((name for name, shown in names.items() if shown == part), "")  # noqa: PLW2901
            if not part:
                return None
        place = place / part
    return place if _real(place).is_relative_to(_real(root)) else None


class First(NamedTuple):
    """What recognising a format takes of a file: its first bytes, and how many it has."""

    head: bytes
    size: int


def first_bytes(path: Path) -> First:
    """The beginning of a file; nothing where it cannot be read."""
    try:
        with path.open("rb") as handle:
            return First(handle.read(HEAD_BYTES), os.fstat(handle.fileno()).st_size)
    except OSError:
        return First(b"", 0)


def open_below(root: Path, path: Path) -> int:
    """A descriptor of a regular file that lies below a folder once every link is followed; raises `InputError`.

    Opened first and asked afterwards where it lies, so that nobody can change a link in between.
    """
    try:
        handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
    except (OSError, ValueError) as error:
        raise unreadable(path.name, error) from error
    place = _real(Path(f"/proc/self/fd/{handle}"))
    if stat.S_ISREG(os.fstat(handle).st_mode) and place.is_relative_to(_real(root)):
        return handle
    os.close(handle)
    raise InputError(
        ErrorCode.OUTSIDE_ROOTS,
        "the file leads out of its folder",
        file=path.name,
        expected=f"a file below {root}",
        hint="Links are followed within their folder only. Put a copy of the file in its place.",
    )

"""TAR, 7z and single compressed files, through libarchive."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from mmap import ACCESS_READ, mmap
from pathlib import Path
from typing import Any

import libarchive
from libarchive.exception import ArchiveError

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError

_BLOCK = 1 << 20
_FREE = 64 << 20


@dataclass(frozen=True)
class Member:
    """One file of an archive; `size` is None where only unpacking tells it."""

    name: str
    size: int | None
    changed: int


@contextmanager
def _reader(file: Path | None, data: memoryview, form: str, label: str) -> Iterator[Any]:
    opened = (
        libarchive.file_reader(str(file), format_name=form)
        if file is not None
        else libarchive.memory_reader(bytes(data), format_name=form)
    )
    try:
        with opened as archive:
            yield archive
    except ArchiveError as error:
        raise InputError(
            ErrorCode.TRUNCATED,
            f"the archive cannot be read ({error.msg or 'its data are damaged'})",
            file=label,
            expected=f"a whole {form} archive" if form != "raw" else "whole compressed data",
            hint="The copy may be incomplete; compare its size with the original.",
        ) from error


def members(file: Path | None, data: memoryview, form: str, label: str, context: Context) -> list[Member]:
    """The files of an archive in its order; `form` is libarchive's `tar`, `7zip` or `raw`. Raises `InputError`."""
    found: list[Member] = []
    total = 0
    with _reader(file, data, form, label) as archive:
        for number, entry in enumerate(archive):
            if number % 256 == 0:
                context.check()
            if not entry.isfile and form != "raw":
                continue
            size = None if form == "raw" else int(entry.size or 0)
            total += size or 0
            if total > context.limits.archive_bytes or number > context.limits.entries:
                raise _too_much(label, context)
            found.append(Member(str(entry.pathname), size, int((entry.mtime or 0) * 1e9)))
    return found


def unpack(
    file: Path | None, data: memoryview, form: str, label: str, context: Context
) -> tuple[memoryview, list[tuple[int, int]]]:
    """All files one after the other in a temporary file, with each one's first byte and the one after its last.

    Archives that cannot be entered at any place are unpacked once. Raises `InputError`, also when they unpack to more
    than their size can honestly hold.
    """
    most = min(context.limits.archive_bytes, _FREE + int(context.limits.ratio * max(len(data), 1)))
    places: list[tuple[int, int]] = []
    with tempfile.TemporaryFile() as spill:
        with _reader(file, data, form, label) as archive:
            for entry in archive:
                if not entry.isfile and form != "raw":
                    continue
                start = spill.tell()
                for block in entry.get_blocks(_BLOCK):
                    context.check()
                    if spill.tell() + len(block) > most:
                        raise _too_much(label, context)
                    spill.write(block)
                places.append((start, spill.tell()))
        spill.flush()
        if spill.tell() == 0:
            return memoryview(b""), places
        return memoryview(mmap(spill.fileno(), 0, access=ACCESS_READ)), places


def _too_much(label: str, context: Context) -> InputError:
    return InputError(
        ErrorCode.BUDGET,
        "the archive unpacks to implausibly much",
        file=label,
        expected=f"at most {context.limits.ratio:g} times its size and {context.limits.archive_bytes:,} bytes",
        hint="This looks like a decompression bomb; it is left alone.",
    )

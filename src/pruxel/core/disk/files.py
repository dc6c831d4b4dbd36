"""Files on disk: large ones are looked at through mmap and never read whole, small ones are read.

A mapped file that is cut short by somebody takes the process down when it is touched behind its new end. So what is
taken out of a mapping for longer than a look is read through its descriptor (`steady`), which tells of it instead.
"""

from __future__ import annotations

import io
import mmap
import os
from pathlib import Path
from typing import cast

import numpy as np

from pruxel.core.base.errors import ErrorCode, InputError

_READ_WHOLE = 256 << 20
_PIECE = 1 << 30


class _Mapped(mmap.mmap):
    """A mapping that keeps its own descriptor, and knows what it shows."""

    handle: int
    shown: str

    def __del__(self) -> None:
        os.close(self.handle)


def map_file(path: Path, name: str | None = None) -> memoryview:
    """The file's bytes as a read-only view; pages are loaded as they are touched."""
    try:
        handle = os.open(path, os.O_RDONLY | os.O_CLOEXEC)
    except (OSError, ValueError) as error:
        raise unreadable(name or path.name, error) from error
    return _map(handle, name or path.name)


def _map(handle: int, shown: str) -> memoryview:
    try:
        if os.fstat(handle).st_size == 0:
            os.close(handle)
            return memoryview(b"")
        mapped = _Mapped(handle, 0, access=mmap.ACCESS_READ)
    except (OSError, ValueError) as error:
        os.close(handle)
        raise unreadable(shown, error) from error
    mapped.handle, mapped.shown = handle, shown
    return memoryview(mapped)


def read_file(path: Path, name: str | None = None) -> memoryview:
    """The file's bytes: read whole where that is little, mapped where it is much. Raises `InputError`."""
    view = map_file(path, name)
    return steady(view) if len(view) <= _READ_WHOLE else view


def steady(view: memoryview) -> memoryview:
    """The same bytes, read through the descriptor where they are mapped.

    Raises `InputError` when the file is shorter than when it was opened.
    """
    mapped = view.obj
    if not isinstance(mapped, _Mapped) or not len(view):
        return view
    start = _address(view) - _address(memoryview(cast("mmap.mmap", mapped)))
    pieces = []
    for at in range(0, len(view), _PIECE):
        wanted = min(_PIECE, len(view) - at)
        try:
            pieces.append(os.pread(mapped.handle, wanted, start + at))
        except OSError as error:
            raise unreadable(mapped.shown, error) from error
        if len(pieces[-1]) < wanted:
            raise _shrunk(mapped, start + at + wanted)
    return memoryview(pieces[0] if len(pieces) == 1 else b"".join(pieces))


def _address(view: memoryview) -> int:
    return int(np.frombuffer(view, np.uint8).ctypes.data)


def _shrunk(mapped: _Mapped, needed: int) -> InputError:
    return InputError(
        ErrorCode.SOURCE_CHANGED,
        "the file is shorter than when it was opened",
        file=mapped.shown,
        expected=f"at least {needed:,} bytes",
        found=f"{os.fstat(mapped.handle).st_size:,}",
        hint="Something writes to it. Read the source again when that has ended.",
    )


def unreadable(name: str, error: OSError | ValueError) -> InputError:
    """The error for a file that the system does not give."""
    reason = getattr(error, "strerror", None) or str(error)
    return InputError(
        ErrorCode.NOT_FOUND,
        f"the file cannot be opened ({reason})",
        file=name,
        hint="Check that it exists and that you may read it.",
    )


def read_text(path: Path, most: int = 4 << 20) -> str:
    """A small UTF-8 file; raises `InputError` when it is larger than `most` bytes or not text."""
    try:
        return text_from(os.open(path, os.O_RDONLY | os.O_CLOEXEC), path.name, most)
    except (OSError, ValueError) as error:
        raise unreadable(path.name, error) from error


def text_from(handle: int, name: str, most: int = 4 << 20) -> str:
    """The same through a descriptor, which is closed."""
    try:
        with os.fdopen(handle, "rb") as file:
            data = file.read(most + 1)
    except OSError as error:
        raise unreadable(name, error) from error
    if len(data) > most:
        raise InputError(
            ErrorCode.BUDGET,
            "the file is too large for what it should be",
            file=name,
            expected=f"at most {most:,} bytes",
        )
    try:
        return data.decode("utf-8")
    except UnicodeDecodeError as error:
        raise InputError(ErrorCode.MALFORMED, "the file is not UTF-8 text", file=name, offset=error.start) from error


class ViewFile(io.RawIOBase):
    """A view of bytes as a file that can be read and sought in, without a copy of the whole."""

    def __init__(self, data: memoryview) -> None:
        self._data, self._at = data, 0

    def readable(self) -> bool:
        """Always."""
        return True

    def seekable(self) -> bool:
        """Always."""
        return True

    def tell(self) -> int:
        """The next byte to be read."""
        return self._at

    def seek(self, offset: int, whence: int = io.SEEK_SET) -> int:
        """Move; a place before the start is refused as a file on disk would."""
        base = {io.SEEK_SET: 0, io.SEEK_CUR: self._at, io.SEEK_END: len(self._data)}[whence]
        if base + offset < 0:
            raise OSError(22, "a place before the start of the file")
        self._at = base + offset
        return self._at

    def read(self, size: int | None = -1) -> bytes:
        """Up to `size` bytes, all that is left for None or a negative number; raises `InputError` when it shrank."""
        stop = len(self._data) if size is None or size < 0 else self._at + size
        found = bytes(steady(self._data[self._at : stop]))
        self._at += len(found)
        return found

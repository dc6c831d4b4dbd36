"""Files on disk, looked at through mmap and never read whole."""

from __future__ import annotations

import io
import mmap
from pathlib import Path

from pruxel.core.base.errors import ErrorCode, InputError


def map_file(path: Path, name: str | None = None) -> memoryview:
    """The file's bytes as a read-only view; pages are loaded as they are touched."""
    shown = name or path.name
    try:
        with path.open("rb") as handle:
            if path.stat().st_size == 0:
                return memoryview(b"")
            return memoryview(mmap.mmap(handle.fileno(), 0, access=mmap.ACCESS_READ))
    except (OSError, ValueError) as error:
        raise unreadable(shown, error) from error


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
        if path.stat().st_size > most:
            raise InputError(
                ErrorCode.BUDGET,
                "the file is too large for what it should be",
                file=path.name,
                expected=f"at most {most:,} bytes",
                found=f"{path.stat().st_size:,}",
            )
        return path.read_text("utf-8")
    except OSError as error:
        raise unreadable(path.name, error) from error
    except UnicodeDecodeError as error:
        raise InputError(ErrorCode.MALFORMED, "the file is not UTF-8 text", file=path.name) from error


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
        """Up to `size` bytes, all that is left for None or a negative number."""
        stop = len(self._data) if size is None or size < 0 else self._at + size
        found = bytes(self._data[self._at : stop])
        self._at += len(found)
        return found

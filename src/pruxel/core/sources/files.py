"""Files on disk, looked at through mmap and never read whole."""

from __future__ import annotations

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

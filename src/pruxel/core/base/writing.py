"""Files written below one folder: whole or not at all, never through a link, never anywhere else."""

from __future__ import annotations

import errno
import os
from collections.abc import Iterable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import TYPE_CHECKING

from pruxel.core.base.errors import ErrorCode, InputError, UsageError

if TYPE_CHECKING:  # NumPy is not loaded for a name: the command line starts without it
    from pruxel.core.base.arrays import Bytes

PARTIAL = ".partial"
_MOST_PIECES, _MOST_BYTES = 512, 2 << 20
_FOLDER = os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW | os.O_CLOEXEC
_NEW = os.O_WRONLY | os.O_CREAT | os.O_TRUNC | os.O_NOFOLLOW | os.O_CLOEXEC
_NO_ROOM = frozenset({errno.ENOSPC, errno.EDQUOT, errno.EFBIG})
_OF_THE_DISK = _NO_ROOM | {errno.EROFS, errno.EIO, errno.ENODEV, errno.EMFILE, errno.ENFILE}


def write_below(root: Path, path: str, pieces: Iterable[Bytes]) -> int:
    """Write a file below a folder that exists, making the folders on the way; returns its size in bytes.

    It appears when it is complete, in place of what has its name. Each folder is entered by its descriptor, so that a
    link somebody puts there leads nowhere. Raises `UsageError` for a path that is not plainly relative, `OSError` of
    the system (see `cannot_write`), and what making the pieces raises; nothing half-written stays.
    """
    *above, name = path.split("/")
    if any(part in {"", ".", ".."} or "\0" in part for part in (*above, name)):
        raise UsageError(ErrorCode.UNSAFE_NAME, "this is no place below the folder", found=ascii(path)[:200])
    with _entered(root, above) as folder:
        partial = f".{name}{PARTIAL}"
        try:
            handle = os.open(partial, _NEW, 0o666, dir_fd=folder)
            try:
                size = sum(_write_all(handle, batch) for batch in _batches(pieces))
            finally:
                os.close(handle)
            os.rename(partial, name, src_dir_fd=folder, dst_dir_fd=folder)
        except BaseException:
            with suppress(OSError):
                os.unlink(partial, dir_fd=folder)
            raise
    return size


@contextmanager
def _entered(root: Path, above: list[str]) -> Iterator[int]:
    handle = os.open(root, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
    try:
        for part in above:
            with suppress(FileExistsError):
                os.mkdir(part, dir_fd=handle)
            inner = os.open(part, _FOLDER, dir_fd=handle)
            os.close(handle)
            handle = inner
        yield handle
    finally:
        os.close(handle)


def make_folder(folder: Path) -> Path:
    """A folder that is there, with those above it; raises `InputError` where the system does not make it."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise cannot_write(error, folder) from error
    return folder


def cannot_write(error: OSError, place: Path | str) -> InputError:
    """The error for a file that the system does not take, with the right reason and what to do."""
    if error.errno in _NO_ROOM:
        words, hint = "there is no room left on the disk", "Make room, then go on: what is written stays."
    elif error.errno == errno.EROFS:
        words, hint = "the disk is read-only", "Choose another output folder, or mount the disk for writing."
    elif error.errno in {errno.EACCES, errno.EPERM}:
        words, hint = "you may not write there", "Check the rights of the folder."
    elif error.errno == errno.ENAMETOOLONG:
        words, hint = "the name is too long for this disk", "Extract it flat, or into a folder with a shorter path."
    else:
        words, hint = f"it cannot be written ({error.strerror})", "Check the folder: something may stand in its place."
    code = ErrorCode.NO_SPACE if error.errno in _NO_ROOM else ErrorCode.CONFLICT
    return InputError(code, words, file=str(place), hint=hint)


def stops_everything(error: OSError) -> bool:
    """Whether the next file would fare no better: no room, a disk that is read-only or broken."""
    return error.errno in _OF_THE_DISK


def _batches(pieces: Iterable[Bytes]) -> Iterator[list[memoryview]]:
    """Pieces in lists that one gathered write takes: not too many, and not too much memory held at once."""
    batch: list[memoryview] = []
    held = 0
    for piece in pieces:
        view = memoryview(piece).cast("B")
        if view.nbytes:
            batch.append(view)
            held += view.nbytes
        if len(batch) >= _MOST_PIECES or held > _MOST_BYTES:
            yield batch
            batch, held = [], 0
    yield batch


def _write_all(handle: int, pieces: list[memoryview]) -> int:
    """Gathered writes: the arrays go to the system as they lie in memory. Returns the bytes written."""
    waiting, total = pieces, 0
    while waiting:
        sent = os.writev(handle, waiting)
        total += sent
        while waiting and sent >= len(waiting[0]):
            sent -= len(waiting[0])
            waiting = waiting[1:]
        if waiting and sent:
            waiting = [waiting[0][sent:], *waiting[1:]]
    return total

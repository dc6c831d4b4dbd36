"""Write a delivery into a folder, whole or not at all, and as one zip."""

from __future__ import annotations

import os
import shutil
import zipfile
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

from pruxel.core.base.arrays import Bytes
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.formats.registry import OutFile
from pruxel.core.sources.names import safe_path

_MOST_PIECES, _MOST_BYTES = 512, 2 << 20


@dataclass(frozen=True)
class Written:
    """One file of a delivery, relative to its folder."""

    path: str
    size: int


def write_files(folder: Path, files: Sequence[OutFile], context: Context) -> list[Written]:
    """Write all files below a folder that exists; raises `InputError` when the disk does not take them.

    Each goes to a new name first and is renamed when complete, so that no reader ever sees half a file.
    """
    done: list[Written] = []
    for file, part in context.each(files, lambda f: f.path):
        target = folder / safe_path(file.path)
        part.check()
        try:
            target.parent.mkdir(parents=True, exist_ok=True)
            partial = target.with_name(f".{target.name}.partial")
            with partial.open("wb", buffering=0) as handle:
                size = sum(_write_all(handle.fileno(), batch) for batch in _batches(file.pieces))
            partial.rename(target)
        except OSError as error:
            raise InputError(
                ErrorCode.CONFLICT,
                f"the file cannot be written ({error.strerror})",
                file=str(target),
                hint="Check the free space and the rights of the output folder.",
            ) from error
        done.append(Written(target.relative_to(folder).as_posix(), size))
    return done


def _batches(pieces: Iterable[Bytes]) -> Iterator[list[memoryview]]:
    """Pieces in lists that one gathered write takes: not too many, and not too much memory held at once."""
    batch: list[memoryview] = []
    for piece in pieces:
        view = memoryview(piece).cast("B")
        if view.nbytes:
            batch.append(view)
        if len(batch) >= _MOST_PIECES or sum(v.nbytes for v in batch) > _MOST_BYTES:
            yield batch
            batch = []
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


def replace_folder(partial: Path, final: Path) -> None:
    """Put a finished folder in place of an older one of the same name."""
    if final.exists():
        old = final.with_name(f".{final.name}.old")
        shutil.rmtree(old, ignore_errors=True)
        final.rename(old)
        partial.rename(final)
        shutil.rmtree(old, ignore_errors=True)
        return
    partial.rename(final)


def zip_folder(folder: Path, target: Path, context: Context) -> int:
    """One zip of a folder with relative names; returns its size. Pictures are stored, the rest is deflated."""
    partial = target.with_name(f".{target.name}.partial")
    with zipfile.ZipFile(partial, "w") as archive:
        for path, part in context.each(sorted(p for p in folder.rglob("*") if p.is_file()), lambda p: p.name):
            part.check()
            packed = zipfile.ZIP_STORED if path.suffix in {".png", ".jpg"} else zipfile.ZIP_DEFLATED
            archive.write(path, path.relative_to(folder).as_posix(), packed, compresslevel=3)
    partial.rename(target)
    return target.stat().st_size

"""Write a delivery into a folder, whole or not at all, and as one zip."""

from __future__ import annotations

import shutil
import zipfile
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from pruxel.core.base.context import Context
from pruxel.core.base.writing import cannot_write, write_below
from pruxel.core.disk.names import safe_path
from pruxel.core.formats.registry import OutFile


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
        path = safe_path(file.path)
        part.check()
        try:
            done.append(Written(path, write_below(folder, path, file.pieces)))
        except OSError as error:
            raise cannot_write(error, folder / path) from error
    return done


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
    try:
        with zipfile.ZipFile(partial, "w") as archive:
            for path, part in context.each(sorted(p for p in folder.rglob("*") if p.is_file()), lambda p: p.name):
                part.check()
                packed = zipfile.ZIP_STORED if path.suffix in {".png", ".jpg"} else zipfile.ZIP_DEFLATED
                archive.write(path, path.relative_to(folder).as_posix(), packed, compresslevel=3)
        partial.rename(target)
    except OSError as error:
        raise cannot_write(error, target) from error
    finally:
        partial.unlink(missing_ok=True)
    return target.stat().st_size

"""Folders for what programs of others hand over, gone afterwards, and in the end also when that was cut off."""

from __future__ import annotations

import os
import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

_PREFIX = "pruxel-scratch-"
_FORGOTTEN_S = 24 * 3600  # nothing that is handed over takes nearly as long


@contextmanager
def scratch_folder() -> Iterator[Path]:
    """An empty folder of the system's, removed afterwards.

    A process that is killed leaves its own: those of a day ago are removed by whoever makes the next one.
    """
    with tempfile.TemporaryDirectory(prefix=_PREFIX) as made:
        folder = Path(made)
        now = folder.stat().st_mtime
        for other in folder.parent.glob(f"{_PREFIX}*"):
            try:
                found = other.lstat()
            except FileNotFoundError:
                continue
            if found.st_uid == os.getuid() and found.st_mtime < now - _FORGOTTEN_S:
                shutil.rmtree(other, ignore_errors=True)
        yield folder

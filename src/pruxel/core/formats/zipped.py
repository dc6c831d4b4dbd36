"""Documents that come in a ZIP with what belongs to them."""

from __future__ import annotations

import io
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.base.limits import Limits, check_unpacked_size

_MOST_ENTRIES = 100_000
# What the library raises for bytes that are no ZIP, or none that it knows.
_BROKEN = (zipfile.BadZipFile, zlib.error, NotImplementedError, EOFError, OSError, RuntimeError, ValueError)


@dataclass(frozen=True, eq=False)
class Package:
    """A ZIP: the paths of what it holds, in its order."""

    data: memoryview
    name: str
    limits: Limits
    paths: tuple[str, ...]

    def read(self, path: str) -> bytes:
        """What stands under a path, within the limits; raises `InputError`."""
        with _opened(self.data, self.name) as archive:
            info = archive.getinfo(path)
            check_unpacked_size(self.limits, self.name, info.compress_size, info.file_size)
            with archive.open(info) as stream:
                return stream.read(info.file_size + 1)


def package_of(data: memoryview, name: str, limits: Limits) -> Package:
    """The package in these bytes; raises `InputError`."""
    with _opened(data, name) as archive:
        return Package(data, name, limits, tuple(info.filename for info in archive.infolist()[:_MOST_ENTRIES]))


@contextmanager
def _opened(data: memoryview, name: str) -> Iterator[zipfile.ZipFile]:
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            yield archive
    except _BROKEN as error:
        raise InputError(ErrorCode.MALFORMED, f"the package cannot be opened: {error}", file=name) from None

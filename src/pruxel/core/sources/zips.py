"""ZIP archives, by whatever name."""

from __future__ import annotations

import lzma
import struct
import zipfile
import zlib
from dataclasses import dataclass, field
from typing import BinaryIO, cast

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, Fault, InputError
from pruxel.core.base.limits import check_unpacked_size
from pruxel.core.disk.below import HEAD_BYTES
from pruxel.core.disk.files import ViewFile
from pruxel.core.disk.names import safe_path, unique_name
from pruxel.core.knowledge.kinds import classify, ending_of, kinds_by_ending
from pruxel.core.knowledge.known import Knowledge
from pruxel.core.sources.base import Listed, Listing, not_found, renamed
from pruxel.core.sources.origin import Origin

_DAMAGED = (
    zipfile.BadZipFile,
    zlib.error,
    lzma.LZMAError,
    struct.error,
    NotImplementedError,
    RuntimeError,
    EOFError,
    OSError,
    ValueError,
    MemoryError,  # LZMA takes the memory that its header asks for
)

_MOST_FAULTS = 100


@dataclass
class ZipSource:
    """A ZIP; names that climb out or start at a root are shown under a safe name, with a problem row."""

    origin: Origin
    knowledge: Knowledge = field(default_factory=Knowledge)
    kind: str = "zip"
    _names: dict[str, zipfile.ZipInfo] = field(default_factory=dict)
    _problems: list[Fault] = field(default_factory=list)
    _archive: zipfile.ZipFile | None = None

    @property
    def label(self) -> str:
        """The file's name."""
        return self.origin.name

    def _open(self, context: Context) -> zipfile.ZipFile:
        if self._archive is not None:
            return self._archive
        data = self.origin.open()
        try:
            archive = zipfile.ZipFile(cast(BinaryIO, ViewFile(data)))
        except _DAMAGED as error:
            raise InputError(
                ErrorCode.TRUNCATED,
                f"the archive's directory cannot be read ({error})" if len(data) else "the file holds no bytes",
                file=self.label,
                expected="a ZIP directory at the end of the file",
                found=f"{len(data):,} bytes",
                hint="The copy may be incomplete; compare its size with the original.",
            ) from error
        taken: set[str] = set()
        infos = [info for info in archive.infolist() if not info.filename.endswith("/")]
        if len(infos) > context.limits.entries:
            raise InputError(ErrorCode.BUDGET, "the archive lists too many entries", file=self.label)
        for info in infos:
            safe = unique_name(safe_path(info.filename), taken)
            if safe != info.filename and len(self._problems) < _MOST_FAULTS:
                self._problems.append(renamed(self.label, info.filename, safe, info.header_offset))
            self._names[safe] = info
        self._archive = archive
        return archive

    def listing(self, context: Context) -> Listing:
        """All entries; those that would unpack to implausibly much are listed as problems too."""
        archive = self._open(context)
        found: list[Listed] = []
        problems = list(self._problems)
        known = kinds_by_ending(self.knowledge.layouts)
        for number, (path, info) in enumerate(self._names.items()):
            if number % 256 == 0:
                context.check()
            try:
                check_unpacked_size(context.limits, f"{self.label}/{path}", info.compress_size, info.file_size)
            except InputError as error:
                problems.append(error.fault)
            kind = known.get(ending_of(path)) or classify(
                _head(archive, info), info.file_size, path, self.knowledge.layouts
            )
            codec = "stored" if info.compress_type == zipfile.ZIP_STORED else "deflate"
            found.append(Listed(path, kind, info.file_size, info.compress_size, codec, info.CRC))
        return Listing(tuple(found), tuple(problems))

    def read(self, path: str, context: Context) -> memoryview:
        """The unpacked bytes, bounded by the size that the directory promises."""
        archive = self._open(context)
        info = self._names.get(path)
        if info is None:
            raise not_found(path, self.label)
        name = f"{self.label}/{path}"
        check_unpacked_size(context.limits, name, info.compress_size, info.file_size)
        try:
            with archive.open(info) as handle:
                return memoryview(handle.read(info.file_size))
        except _DAMAGED as error:
            raise InputError(
                ErrorCode.CODEC,
                f"the entry cannot be unpacked ({error})",
                file=name,
                offset=info.header_offset,
                expected=f"{info.file_size:,} bytes with CRC-32 {info.CRC:08x}",
            ) from error


def _head(archive: zipfile.ZipFile, info: zipfile.ZipInfo) -> bytes:
    try:
        with archive.open(info) as handle:
            return handle.read(HEAD_BYTES)
    except _DAMAGED:
        return b""

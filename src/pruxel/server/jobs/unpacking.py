"""Entries unpacked for saving, in a process beside the web process, which only passes on what it is given."""

from __future__ import annotations

import sys
import uuid
import zipfile
from collections.abc import Iterator
from typing import Any
from uuid import uuid4

import orjson

from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.base.writing import cannot_write, make_folder, write_below
from pruxel.core.disk.files import steady
from pruxel.server.jobs.extract import named_rows
from pruxel.server.jobs.stacks import StoredStack, stored_entry, stored_stack
from pruxel.server.running import end_with_parent
from pruxel.server.settings import settings
from pruxel.server.store.blobs import find_blob

_PIECE = 1 << 20


def unpacked_file(entry: int) -> str:
    """Unpack an entry into a file of its own, for the caller to send and remove; its place. Raises `InputError`."""
    row, stack = stored_entry(entry)
    data = stack.read_row(row, Context())
    home, name = make_folder(settings().sending), uuid4().hex
    try:
        write_below(home, name, (steady(data[at : at + _PIECE]) for at in range(0, len(data), _PIECE)))
    except OSError as error:
        raise cannot_write(error, home) from error
    return str(home / name)


class _Sink:
    """A file that only hands on what is written to it."""

    def __init__(self) -> None:
        self.pieces: list[bytes] = []
        self._at = 0

    def write(self, data: bytes) -> int:
        """Keep a piece until it is sent."""
        self.pieces.append(bytes(data))
        self._at += len(data)
        return len(data)

    def tell(self) -> int:
        """How much was written."""
        return self._at

    def flush(self) -> None:
        """Nothing waits."""

    def taken(self) -> bytes:
        """All pieces so far, which are then gone."""
        found, self.pieces = b"".join(self.pieces), []
        return found


def zip_pieces(stack: StoredStack, chosen: dict[str, Any]) -> Iterator[bytes]:
    """A selection as one zip, piece by piece; what cannot be read is listed inside."""
    sink: Any = _Sink()
    faults = []
    with zipfile.ZipFile(sink, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive:
        for row, name in named_rows(stack, chosen):
            try:
                data = stack.read_row(row, Context())
                with archive.open(zipfile.ZipInfo(name), "w", force_zip64=len(data) > 1 << 31) as target:
                    for at in range(0, len(data), _PIECE):
                        target.write(steady(data[at : at + _PIECE]))
                        yield sink.taken()
            except InputError as error:
                faults.append(error.fault.line())
        if faults:
            archive.writestr(zipfile.ZipInfo("not extracted.txt"), "\n".join(faults))
    yield sink.taken()


def main(project: str, note: str, parent: str) -> None:
    """Write a noted selection as a zip to standard output."""
    end_with_parent(int(parent))
    noted = find_blob(note) or b""
    chosen = orjson.loads(noted.partition(b" ")[2])
    for piece in zip_pieces(stored_stack(uuid.UUID(project)), chosen):
        sys.stdout.buffer.write(piece)


if __name__ == "__main__":
    main(*sys.argv[1:4])

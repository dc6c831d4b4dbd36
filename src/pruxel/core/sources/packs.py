"""Packs described by a layout: the records say where each entry lies, NumPy reads the whole table at once."""

from __future__ import annotations

import zlib
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

import numpy as np
from pydantic import ValidationError

from pruxel.core.base.arrays import AnyArray
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, Fault, InputError
from pruxel.core.base.limits import check_unpacked_size
from pruxel.core.binary.expressions import compile_expression
from pruxel.core.binary.load import validation_words
from pruxel.core.binary.parse import parse
from pruxel.core.binary.records import Record, Table
from pruxel.core.binary.schema import ExpressionText, Layout, Strict
from pruxel.core.native.codecs import decompress, decompress_head
from pruxel.core.sources.base import Listed, Listing, not_found
from pruxel.core.sources.files import map_file
from pruxel.core.sources.kinds import HEAD_BYTES, classify
from pruxel.core.sources.names import safe_path, unique_name


class PackExtract(Strict):
    """Which fields of the table mean what. Each of the names is a field of the records in `entries`.

    `names` is the field that holds a block of zero-ended paths; `path` then is the offset into it, else the path.
    """

    entries: ExpressionText
    path: str
    offset: str
    stored: str
    size: str | None = None
    names: ExpressionText | None = None
    codec: str | None = None
    codecs: dict[int, str] = {}
    crc32: str | None = None


def pack_extract(layout: Layout) -> PackExtract:
    """The layout's `extract` section as a pack's; raises `InputError`."""
    try:
        return PackExtract.model_validate(layout.extract)
    except ValidationError as error:
        place, words = validation_words(error)
        raise InputError(
            ErrorCode.LAYOUT, f"'extract' does not describe a pack: {words}", file=layout.layout, field=place
        ) from error


@dataclass(frozen=True)
class _Place:
    """Where one entry lies in the pack."""

    offset: int
    stored: int
    size: int
    codec: str
    crc32: int | None


@dataclass
class PackSource:
    """A pack file with its layout."""

    file: Path
    layout: Layout
    layouts: Sequence[Layout] = ()

    @property
    def label(self) -> str:
        """The file's name."""
        return self.file.name

    @property
    def kind(self) -> str:
        """The layout's name."""
        return self.layout.layout

    @cached_property
    def _data(self) -> memoryview:
        return map_file(self.file)

    @cached_property
    def _index(self) -> tuple[dict[str, _Place], list[Fault]]:
        return _read_table(self._data, self.layout, self.label, Context())

    def listing(self, context: Context) -> Listing:
        """All entries that lie inside the file; the others as problems."""
        places, problems = self._index
        found: list[Listed] = []
        for number, (path, place) in enumerate(places.items()):
            if number % 1024 == 0:
                context.progress(number / len(places), self.label)
            packed = self._data[place.offset : place.offset + place.stored]
            head = decompress_head(place.codec, packed, place.size, HEAD_BYTES)
            kind = classify(head, path, self.layouts)
            found.append(Listed(path, kind, place.size, place.stored, place.codec))
        return Listing(tuple(found), tuple(problems))

    def read(self, path: str, context: Context) -> memoryview:
        """The unpacked bytes; checksum compared when the table has one."""
        context.check()
        place = self._index[0].get(path)
        if place is None:
            raise not_found(path, self.label)
        packed = self._data[place.offset : place.offset + place.stored]
        name = f"{self.label}/{path}"
        check_unpacked_size(context.limits, name, place.stored, place.size)
        if place.codec == "stored":
            data = packed
        else:
            data = memoryview(decompress(place.codec, packed, place.size, name, place.offset))
        if place.crc32 is not None and zlib.crc32(data) != place.crc32:
            raise InputError(
                ErrorCode.CHECKSUM,
                "the entry is damaged",
                file=name,
                offset=place.offset,
                expected=f"CRC-32 {place.crc32:08x}",
                found=f"{zlib.crc32(data):08x}",
                hint="Copy the pack again from its origin.",
            )
        return data


def _read_table(
    data: memoryview, layout: Layout, label: str, context: Context
) -> tuple[dict[str, _Place], list[Fault]]:
    spec = pack_extract(layout)
    head = parse(layout, data, label, context)
    entries = compile_expression(spec.entries)(head)
    count = len(entries)
    offsets = _column(entries, spec.offset, label)
    stored = _column(entries, spec.stored, label)
    sizes = stored if spec.size is None else _column(entries, spec.size, label)
    codecs = np.zeros(count, int) if spec.codec is None else _column(entries, spec.codec, label)
    sums = None if spec.crc32 is None else _column(entries, spec.crc32, label)
    paths = _paths(entries, spec, head, label)
    inside = _inside(offsets, stored, len(data))
    places: dict[str, _Place] = {}
    problems: list[Fault] = []
    taken: set[str] = set()
    for number in range(count):
        path = safe_path(paths[number])
        if not inside[number]:
            problems.append(_outside(label, path, int(offsets[number]), int(stored[number]), len(data)))
            continue
        unique = unique_name(path, taken)
        if unique != paths[number].replace("\\", "/"):
            problems.append(_renamed(label, paths[number], unique))
        code = codecs[number]
        codec = (
            str(code)
            if isinstance(code, str)
            else spec.codecs.get(int(code), "stored" if not spec.codecs else f"number {code}")
        )
        places[unique] = _Place(
            int(offsets[number]),
            int(stored[number]),
            int(sizes[number]),
            codec,
            None if sums is None else int(sums[number]),
        )
    return places, problems


def _column(entries: object, name: str, label: str) -> AnyArray:
    try:
        if isinstance(entries, Table):
            return entries.column(name)
        if isinstance(entries, list):
            return np.array([record[name] for record in entries])
    except KeyError:
        pass
    raise InputError(ErrorCode.LAYOUT, "'extract' names a field that the table does not have", file=label, field=name)


def _paths(entries: object, spec: PackExtract, head: Record, label: str) -> list[str]:
    column = _column(entries, spec.path, label)
    if spec.names is None:
        return [str(value) for value in column]
    block = bytes(compile_expression(spec.names)(head))
    return [_name_at(block, int(start), number) for number, start in enumerate(column)]


def _name_at(block: bytes, start: int, number: int) -> str:
    """The zero-ended name at `start`; an entry whose name lies outside the block is called by its number."""
    stop = block.find(b"\0", start)
    if start >= len(block) or stop < 0 or stop - start > 4096:
        return f"~unnamed/{number:06d}"
    return block[start:stop].decode("utf-8", "replace")


def _inside(offsets: AnyArray, stored: AnyArray, length: int) -> AnyArray:
    wide_offsets, wide_stored = offsets.astype(np.uint64), stored.astype(np.uint64)
    ends = wide_offsets + wide_stored
    return (ends >= wide_offsets) & (ends <= np.uint64(length))


def _outside(label: str, path: str, offset: int, stored: int, length: int) -> Fault:
    return Fault(
        ErrorCode.ENTRY_OUTSIDE_FILE,
        f"the entry '{path}' points outside the pack",
        file=label,
        offset=offset,
        expected=f"{stored:,} bytes inside a file of {length:,}",
        found=f"an end at byte {offset + stored:,}",
        hint="The pack is cut off or damaged; the other entries stay usable.",
    )


def _renamed(label: str, found: str, safe: str) -> Fault:
    return Fault(
        ErrorCode.UNSAFE_NAME,
        "an entry's name is unsafe or taken",
        file=label,
        found=repr(found[:200]),
        hint=f"It is shown as '{safe}'.",
    )

"""Packs described by a layout: whole or in volumes, plain or encrypted, with paths or only their hashes."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import overload

import numpy as np

from pruxel.core.base.arrays import AnyArray
from pruxel.core.base.context import Context
from pruxel.core.base.errors import GIVE_KEY, ErrorCode, Fault, InputError
from pruxel.core.base.limits import check_unpacked_size
from pruxel.core.binary.schema import Layout
from pruxel.core.disk.below import HEAD_BYTES
from pruxel.core.disk.files import steady
from pruxel.core.disk.names import safe_path, unique_name
from pruxel.core.knowledge.keys import Keys
from pruxel.core.knowledge.kinds import Kind, classify, ending_of, kinds_by_ending
from pruxel.core.knowledge.known import Knowledge
from pruxel.core.knowledge.name_lists import Hashing, match_names, shown_name
from pruxel.core.native.ciphers import decrypt
from pruxel.core.native.codecs import crc32, decompress, decompress_head
from pruxel.core.sources.base import Listed, Listing, not_found, renamed
from pruxel.core.sources.origin import Origin
from pruxel.core.sources.pack_spec import key_names, volume_name
from pruxel.core.sources.pack_table import PackTable, outside_faults, read_table

UNNAMED = "~unnamed"
_MOST_FAULTS = 100


@dataclass(frozen=True, eq=False)
class _Index:
    """The table, where its rows' files are, which rows can be used, and what is wrong."""

    table: PackTable
    volumes: dict[int, memoryview]
    rows: AnyArray
    keys: Keys
    problems: tuple[Fault, ...]


@dataclass(frozen=True)
class _Rows(Sequence[Listed]):
    """A pack's entries, made as they are walked over."""

    pack: PackSource

    def __len__(self) -> int:
        return len(self.pack.paths)

    @overload
    def __getitem__(self, at: int) -> Listed: ...
    @overload
    def __getitem__(self, at: slice) -> list[Listed]: ...
    def __getitem__(self, at: int | slice) -> Listed | list[Listed]:
        return list(self)[at]

    def __iter__(self) -> Iterator[Listed]:
        return self.pack.rows()


@dataclass
class PackSource:
    """A pack with its layout and what is known when it is opened."""

    origin: Origin
    layout: Layout
    knowledge: Knowledge = field(default_factory=Knowledge)

    @property
    def label(self) -> str:
        """The file's name."""
        return self.origin.name

    @property
    def kind(self) -> str:
        """The layout's name."""
        return self.layout.layout

    @cached_property
    def _index(self) -> _Index:
        data = self.origin.open()
        table, keys, notes = self._opened(data)
        volumes, missing = self._volumes(table, data)
        lengths = np.zeros(len(table), np.uint64) + np.uint64(len(data))
        here = np.ones(len(table), bool)
        if table.volume is not None:
            known = {number: len(v) for number, v in volumes.items()}
            lengths = np.array([known.get(int(v), 0) for v in table.volume], np.uint64)
            here = np.isin(table.volume, list(volumes))
        if table.block_starts is not None:
            inside, faults = np.ones(len(table), bool), list[Fault]()
        else:
            inside, faults = outside_faults(table, np.where(here, lengths, np.uint64(2**63)), self.label)
        rows = np.flatnonzero(inside & here)
        return _Index(table, volumes, rows, keys, (*notes, *missing, *faults))

    def _opened(self, data: memoryview) -> tuple[PackTable, Keys, list[Fault]]:
        """The table, read with the key that the layout names, or with another of the ring that fits."""
        known = self.knowledge
        try:
            table = read_table(self.layout, data, self.label, Context(), known.keys, any_version=known.any_version)
        except InputError as error:
            if error.fault.code not in {ErrorCode.KEY_NEEDED, ErrorCode.KEY_WRONG}:
                raise
            found = self._with_another_key(data)
            if found is None:
                raise
            return found
        return table, known.keys, self._key_gaps(table)

    def _key_gaps(self, table: PackTable) -> list[Fault]:
        key = table.spec.key
        if key is None or key in self.knowledge.keys:
            return []
        hint = f"{GIVE_KEY} Entries are listed, but what is encrypted cannot be read."
        return [Fault(ErrorCode.KEY_NEEDED, f"needs the key '{key}'", file=self.label, hint=hint)]

    def _with_another_key(self, data: memoryview) -> tuple[PackTable, Keys, list[Fault]] | None:
        wanted = key_names(self.layout)
        for name, key in self.knowledge.keys.items():
            ring = {**self.knowledge.keys, **dict.fromkeys(wanted, key)}
            try:
                table = read_table(
                    self.layout, data, self.label, Context(), ring, any_version=self.knowledge.any_version
                )
            except InputError:
                continue
            words = f"opened with the key '{name}' instead of {', '.join(repr(w) for w in sorted(wanted))}"
            return table, ring, [Fault(ErrorCode.KEY_WRONG, words, file=self.label, hint="Rename the key to be sure.")]
        return None

    def _volumes(self, table: PackTable, data: memoryview) -> tuple[dict[int, memoryview], list[Fault]]:
        volumes, faults = {0: data}, list[Fault]()
        if table.volume is None or table.spec.volumes is None:
            return volumes, faults
        numbers, counts = np.unique(table.volume, return_counts=True)
        for number, count in zip(numbers.tolist(), counts.tolist(), strict=True):
            if number == 0:
                continue
            name = volume_name(table.spec.volumes, self.label, int(number))
            found = self.origin.beside(name) if len(volumes) < 4096 else None
            if found is not None:
                volumes[int(number)] = found
            elif len(faults) < _MOST_FAULTS:
                faults.append(
                    Fault(
                        ErrorCode.VOLUME_MISSING,
                        f"volume {number} of this pack is missing",
                        file=self.label,
                        expected=f"a file '{name}' beside it",
                        found=f"{count:,} entries that lie in it",
                        hint="Copy the file next to the pack and read the source again.",
                    )
                )
        return volumes, faults

    @cached_property
    def _named(self) -> tuple[list[str], list[Fault]]:
        """The path of every usable row; hashes that no list knows stand under `~unnamed`."""
        index, faults = self._index, list[Fault]()
        taken: set[str] = set()
        paths: list[str] = []
        for raw in self._raw_names(index):
            safe = safe_path(raw)
            path = safe if safe.lower() not in taken else unique_name(safe, taken)
            taken.add(path.lower())
            paths.append(path)
            if path != raw and path != raw.replace("\\", "/") and len(faults) < _MOST_FAULTS:
                faults.append(renamed(self.label, raw, path))
        return paths, faults

    def _raw_names(self, index: _Index) -> Iterator[str]:
        table = index.table
        if table.names is not None:
            for row in index.rows.tolist():
                yield table.names[row]
            return
        if table.hashes is None or table.spec.hashing is None:
            return
        names = self.knowledge.names
        wanted = table.hashes[index.rows]
        for row, code, name in zip(
            index.rows.tolist(),
            wanted.tolist(),
            match_names(names, table.spec.hashing, wanted).tolist(),
            strict=True,
        ):
            yield (
                shown_name(names.text(name), table.spec.hashing)
                if name >= 0
                else f"{UNNAMED}/{self._kind_of(row, '')}/{code:016x}"
            )

    @property
    def paths(self) -> list[str]:
        """The paths of all usable entries, in the order of the table."""
        return self._named[0]

    @cached_property
    def _row_of(self) -> dict[str, int]:
        return dict(zip(self.paths, self._index.rows.tolist(), strict=True))

    @property
    def hashing(self) -> Hashing | None:
        """How the pack turns paths into hashes, None for a pack that keeps paths."""
        return self._index.table.spec.hashing if self._index.table.hashes is not None else None

    def unknown_hashes(self) -> AnyArray:
        """Hashes that no name list knows: (n,) uint64; empty for a pack that keeps paths."""
        table = self._index.table
        if table.hashes is None or table.spec.hashing is None:
            return np.zeros(0, np.uint64)
        wanted = table.hashes[self._index.rows]
        return wanted[match_names(self.knowledge.names, table.spec.hashing, wanted) < 0]

    def _kind_of(self, row: int, path: str) -> Kind:
        table = self._index.table
        codec = table.codecs[table.codec[row]]
        try:
            packed = self._packed(row, path, first=True)
        except InputError:
            packed = memoryview(b"")
        size = int(table.sizes[row])
        head = decompress_head(codec, packed, min(size, table.block_size or 1 << 62), HEAD_BYTES)
        return classify(head, size, path, self.knowledge.layouts)

    def rows(self) -> Iterator[Listed]:
        """Every usable entry, by path. The ending of a name is believed where it is known; else first bytes decide.

        The order lets a database lay neighbours side by side, which halves the time of loading and of searching.
        """
        table, known = self._index.table, kinds_by_ending(self.knowledge.layouts)
        stamps = table.offsets if table.crc is None else table.crc
        codecs = table.codecs
        paths = self.paths
        order = sorted(range(len(paths)), key=paths.__getitem__)
        rows = self._index.rows[order]
        columns = (table.sizes[rows], table.stored[rows], table.codec[rows], stamps[rows].astype(np.int64))
        for place, row, size, stored, codec, stamp in zip(
            order, rows.tolist(), *(c.tolist() for c in columns), strict=True
        ):
            path = paths[place]
            if path.startswith(UNNAMED) and table.hashes is not None:
                kind = Kind(path.split("/")[1])
            else:
                kind = known.get(ending_of(path)) or self._kind_of(row, path)
            yield Listed(path, kind, size, stored, codecs[codec], stamp)

    def listing(self, context: Context) -> Listing:
        """All entries that lie inside the file; the others as problems."""
        context.check()
        if len(self._index.rows) > context.limits.entries:
            raise InputError(ErrorCode.BUDGET, "the pack lists too many entries", file=self.label)
        return Listing(_Rows(self), (*self._index.problems, *self._named[1]))

    def read(self, path: str, context: Context) -> memoryview:
        """The unpacked bytes; checksum compared when the table has one."""
        context.check()
        row = self._row_of.get(path)
        if row is None:
            raise not_found(path, self.label)
        table, name = self._index.table, f"{self.label}/{path}"
        size, stored = int(table.sizes[row]), int(table.stored[row])
        check_unpacked_size(context.limits, name, stored, size)
        offset, codec = int(table.offsets[row]), table.codecs[table.codec[row]]
        packed = self._packed(row, name)
        if table.block_starts is not None:
            data = self._from_blocks(row, packed, name)
        elif codec == "stored":
            data = packed[:size]
        else:
            data = memoryview(decompress(codec, packed, size, name, offset))
        if table.crc is not None and crc32(data) != int(table.crc[row]):
            sealed = table.spec.cipher is not None and self._is_sealed(row)
            raise InputError(
                ErrorCode.CHECKSUM,
                "the entry is damaged, or the key is not the right one" if sealed else "the entry is damaged",
                file=name,
                offset=offset,
                expected=f"CRC-32 {int(table.crc[row]):08x}",
                found=f"{crc32(data):08x}",
                hint="Copy the pack again from its origin.",
            )
        return data

    def _is_sealed(self, row: int) -> bool:
        sealed = self._index.table.sealed
        return sealed is None or bool(sealed[row])

    def _packed(self, row: int, name: str, *, first: bool = False) -> memoryview:
        """An entry's stored bytes, deciphered; only its first block where `first` is wanted and there are blocks."""
        index, table = self._index, self._index.table
        volume = 0 if table.volume is None else int(table.volume[row])
        data = index.volumes.get(volume, memoryview(b""))
        offset, size = int(table.offsets[row]), int(table.stored[row])
        if table.block_starts is not None and table.first_block is not None:
            size = self._blocks_size(row, 1 if first else None, len(data), name)
        packed = steady(data[offset : offset + size])
        spec = table.spec
        if spec.cipher is None or spec.key is None or not self._is_sealed(row) or not size:
            return packed
        if spec.key not in index.keys:
            raise InputError(
                ErrorCode.KEY_NEEDED, f"needs the key '{spec.key}'", file=name, offset=offset, hint=GIVE_KEY
            )
        iv = b"" if table.iv is None else bytes(table.iv[row])
        return memoryview(decrypt(spec.cipher, index.keys[spec.key], iv, packed, name, offset))

    def _block_range(self, row: int) -> tuple[int, int]:
        table = self._index.table
        assert table.first_block is not None
        count = -(-int(table.sizes[row]) // max(table.block_size, 1))
        return int(table.first_block[row]), count

    def _blocks_size(self, row: int, most: int | None, length: int, name: str) -> int:
        table = self._index.table
        starts = table.block_starts
        assert starts is not None
        begin, count = self._block_range(row)
        count = count if most is None else min(count, most)
        if table.block_size < 1 or begin + count >= len(starts):
            raise InputError(
                ErrorCode.ENTRY_OUTSIDE_FILE,
                "the entry names blocks that the pack does not have",
                file=name,
                offset=int(table.offsets[row]),
                expected=f"blocks below {len(starts) - 1:,}",
                found=f"{count:,} blocks from {begin:,}",
            )
        size = int(starts[begin + count] - starts[begin])
        if int(table.offsets[row]) + size > length:
            raise InputError(
                ErrorCode.TRUNCATED,
                "the entry's blocks reach beyond the file",
                file=name,
                offset=int(table.offsets[row]),
                expected=f"{size:,} bytes",
                found=f"a file of {length:,} bytes",
            )
        return size

    def _from_blocks(self, row: int, packed: memoryview, name: str) -> memoryview:
        table = self._index.table
        assert table.block_starts is not None
        begin, count = self._block_range(row)
        size, codec = int(table.sizes[row]), table.codecs[table.codec[row]]
        out, at = bytearray(), 0
        for block in range(begin, begin + count):
            stored = int(table.block_starts[block + 1] - table.block_starts[block])
            unpacked = min(table.block_size, size - len(out))
            piece = packed[at : at + stored]
            out += (
                piece if stored == unpacked else decompress(codec, piece, unpacked, name, int(table.offsets[row]) + at)
            )
            at += stored
        return memoryview(out)

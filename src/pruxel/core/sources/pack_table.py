"""A pack's table as columns: the records say where each entry lies, NumPy reads all of them at once."""

from __future__ import annotations

import zlib
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from pruxel.core.base.arrays import AnyArray
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, Fault, InputError
from pruxel.core.binary.expressions import compile_expression
from pruxel.core.binary.fields.varying import Varying
from pruxel.core.binary.load import section
from pruxel.core.binary.parse import parse
from pruxel.core.binary.records import Record, Table
from pruxel.core.binary.schema import Layout
from pruxel.core.binary.values import bytes_of, each_of, rows_of, text_of, whole_of, wholes_of
from pruxel.core.knowledge.keys import Keys
from pruxel.core.sources.pack_spec import EntriesSpec

_MOST_FAULTS = 100


@dataclass(frozen=True, eq=False)
class PackTable:
    """Rows of a pack: `offsets`, `stored`, `sizes` (n,) uint64 bytes; `codecs` names by number in `codec` (n,) int32.

    `crc`, `volume`, `first_block`, `sealed`, `hashes` (n,) and `iv` (n,) of bytes are None where the pack has none;
    `block_starts` (b + 1,) uint64 counts stored bytes before each block. `names` are the paths as the pack has them.
    """

    spec: EntriesSpec
    offsets: AnyArray
    stored: AnyArray
    sizes: AnyArray
    codec: AnyArray
    codecs: tuple[str, ...]
    crc: AnyArray | None
    volume: AnyArray | None
    first_block: AnyArray | None
    sealed: AnyArray | None
    iv: AnyArray | None
    hashes: AnyArray | None
    names: Sequence[str] | None
    block_starts: AnyArray | None
    block_size: int

    def __len__(self) -> int:
        return len(self.offsets)


def read_table(
    layout: Layout, data: memoryview, label: str, context: Context, keys: Keys, *, any_version: bool
) -> PackTable:
    """Parse the pack's head and table; raises `InputError`, for a missing or wrong key too."""
    spec = section(layout, "entries", EntriesSpec)
    head = parse(layout, data, label, context, keys, any_version=any_version)
    _check_key(spec, head, keys, label)
    entries = _Rows(head, rows_of(spec.each, head, label))
    offsets = _whole(entries, spec.offset, label)
    if spec.base is not None:
        offsets = offsets + _unsigned(spec.base, head, label)
    stored = _whole(entries, spec.stored, label)
    codec, codecs = _codecs(entries, spec, label, len(offsets))
    blocks = None if spec.blocks is None else wholes_of(spec.blocks, head, label).astype(np.uint64)
    return PackTable(
        spec=spec,
        offsets=offsets,
        stored=stored,
        sizes=stored if spec.size is None else _whole(entries, spec.size, label),
        codec=codec,
        codecs=codecs,
        crc=_maybe(entries, spec.crc32, label),
        volume=_maybe(entries, spec.volume, label),
        first_block=_maybe(entries, spec.first_block, label),
        sealed=_maybe(entries, spec.sealed, label),
        iv=None if spec.iv is None else _column(entries, spec.iv, label),
        hashes=_maybe(entries, spec.hash, label),
        names=None if spec.path is None else _names(entries, spec, head, label),
        block_starts=None if blocks is None else np.concatenate([[np.uint64(0)], np.cumsum(blocks)]),
        block_size=0 if spec.block_size is None else whole_of(spec.block_size, head, label),
    )


def _check_key(spec: EntriesSpec, head: Record, keys: Keys, label: str) -> None:
    if spec.key is None or spec.key_check is None or spec.key not in keys:
        return
    wanted, found = whole_of(spec.key_check, head, label), zlib.crc32(keys[spec.key])
    if wanted != found:
        raise InputError(
            ErrorCode.KEY_WRONG,
            f"the key '{spec.key}' does not open this pack",
            file=label,
            expected=f"a key with check value {wanted:08x}",
            hint="Type the key again, or try the other keys that you have.",
        )


def _unsigned(text: str, head: Record, label: str) -> np.uint64:
    value = whole_of(text, head, label)
    if value < 0:
        raise InputError(ErrorCode.LAYOUT, "this should not be negative", file=label, field=text, found=f"{value:,}")
    return np.uint64(value)


@dataclass(frozen=True, eq=False)
class _Rows:
    """The entries as expressions see them: a field of theirs is a column, all else is the file's."""

    head: Record
    rows: Table | Varying | Sequence[Record]

    def lookup(self, name: str) -> Any:  # noqa: ANN401
        if name == "row":
            return np.arange(len(self.rows))
        column = self._own(name)
        return self.head.lookup(name) if column is None else column

    def place(self, name: str, which: str) -> int:
        return self.head.place(name, which)

    def charge(self, elements: int) -> None:
        self.head.charge(elements)

    def _own(self, name: str) -> Any:  # noqa: ANN401
        try:
            if isinstance(self.rows, Table | Varying):
                return self.rows.column(name)
            return np.asarray([record[name] for record in self.rows]) if self.rows else None
        except KeyError:
            return None


def _column(entries: _Rows, text: str, label: str) -> AnyArray:
    """What an expression is for each entry; raises `InputError`."""
    try:
        found = np.asarray(compile_expression(text)(entries))
    except InputError as error:
        raise InputError(
            error.fault.code, error.fault.message, file=label, field=text, hint=error.fault.hint
        ) from error
    if found.ndim == 0 and found.dtype.kind in "iuU":
        found = np.repeat(found, len(entries.rows))
    if len(entries.rows) == 0:
        return np.zeros(0, np.uint64)
    if found.ndim == 0 or len(found) != len(entries.rows):
        raise InputError(
            ErrorCode.LAYOUT,
            "'yields' should say one thing for each entry",
            file=label,
            field=text,
            expected=f"{len(entries.rows):,} values",
            found="one" if found.ndim == 0 else f"{len(found):,}",
        )
    return found


def _whole(entries: _Rows, text: str, label: str) -> AnyArray:
    column = _column(entries, text, label)
    if column.dtype.kind not in "iu":
        raise InputError(ErrorCode.LAYOUT, "this should be whole numbers", file=label, field=text)
    if column.dtype.kind == "i" and column.min(initial=0) < 0:
        raise InputError(ErrorCode.LAYOUT, "this should not be negative", file=label, field=text)
    return column.astype(np.uint64)


def _maybe(entries: _Rows, text: str | None, label: str) -> AnyArray | None:
    return None if text is None else _whole(entries, text, label)


def _codecs(entries: _Rows, spec: EntriesSpec, label: str, count: int) -> tuple[AnyArray, tuple[str, ...]]:
    if spec.codec is None:
        return np.zeros(count, np.int32), (spec.codecs.get(0, "stored"),)
    values, numbers = np.unique(_column(entries, spec.codec, label), return_inverse=True)
    names = tuple(
        str(v) if isinstance(v, str) else spec.codecs.get(int(v), "stored" if not spec.codecs else f"number {v}")
        for v in values.tolist()
    )
    return numbers.astype(np.int32), names


def _names(entries: _Rows, spec: EntriesSpec, head: Record, label: str) -> list[str]:
    path = str(spec.path)
    if spec.names is None:
        if path.isidentifier():
            return [str(value) for value in _column(entries, path, label).tolist()]
        return [text_of(path, row, label) for row in each_of(spec.each, head, label)]
    column = _column(entries, path, label)
    block = bytes(bytes_of(spec.names, head, label))
    starts = column.tolist()
    pieces = block.decode("utf-8", "replace").split("\0") if block.isascii() else []
    if len(pieces) == len(starts) + 1 and _in_a_row(pieces, column):
        return pieces[:-1]
    return [_name_at(block, int(start), number) for number, start in enumerate(starts)]


def _in_a_row(pieces: list[str], column: AnyArray) -> bool:
    """Whether the names stand one after the other in the order of the table, as most packs have them."""
    lengths = np.fromiter(map(len, pieces), np.int64, len(pieces)) + 1
    starts = np.concatenate([[0], np.cumsum(lengths[:-2])])
    return bool((starts == column.astype(np.int64)).all() and lengths.max() <= 4097)


def _name_at(block: bytes, start: int, number: int) -> str:
    """The zero-ended name at `start`; an entry whose name lies outside the block is called by its number."""
    stop = block.find(b"\0", start)
    if start >= len(block) or stop < 0 or stop - start > 4096:
        return f"~unnamed/unknown/{number:06d}"
    return block[start:stop].decode("utf-8", "replace")


def outside_faults(table: PackTable, lengths: AnyArray, label: str) -> tuple[AnyArray, list[Fault]]:
    """Which rows (n,) bool lie inside their file, and problem rows for those that do not and for overlaps.

    `lengths` (n,) uint64 is the size of the file that holds each row's entry.
    """
    ends = table.offsets + table.stored
    inside = (ends >= table.offsets) & (ends <= lengths)
    faults: list[Fault] = []
    bad = np.flatnonzero(~inside)
    for row in bad[:_MOST_FAULTS]:
        name = "" if table.names is None else f" '{table.names[row][:200]}'"
        faults.append(
            Fault(
                ErrorCode.ENTRY_OUTSIDE_FILE,
                f"the entry{name} points outside the pack",
                file=label,
                offset=int(table.offsets[row]),
                expected=f"{int(table.stored[row]):,} bytes inside a file of {int(lengths[row]):,}",
                found=f"an end at byte {int(table.offsets[row]) + int(table.stored[row]):,}",
                hint="The pack is cut off or damaged; the other entries stay usable.",
            )
        )
    if len(bad) > _MOST_FAULTS:
        faults.append(
            Fault(ErrorCode.ENTRY_OUTSIDE_FILE, f"{len(bad) - _MOST_FAULTS:,} more entries point outside", file=label)
        )
    return inside, faults + _overlaps(table, inside, label)


def _overlaps(table: PackTable, inside: AnyArray, label: str) -> list[Fault]:
    """Entries that share some of their bytes; those that share all are one content under two names, which is fine."""
    rows = np.flatnonzero(inside & (table.stored > 0))
    if table.volume is not None:
        rows = rows[np.lexsort((table.offsets[rows], table.volume[rows]))]
        same_file = np.diff(table.volume[rows]) == 0
    else:
        rows = rows[np.argsort(table.offsets[rows], kind="stable")]
        same_file = np.ones(max(len(rows) - 1, 0), bool)
    starts, ends = table.offsets[rows], table.offsets[rows] + table.stored[rows]
    over = same_file & (starts[1:] < ends[:-1]) & ~((starts[1:] == starts[:-1]) & (ends[1:] == ends[:-1]))
    if not over.any():
        return []
    first = int(np.flatnonzero(over)[0])
    return [
        Fault(
            ErrorCode.MALFORMED,
            f"{int(over.sum()):,} entries overlap their neighbours",
            file=label,
            offset=int(starts[first + 1]),
            expected=f"an entry that starts at or after byte {int(ends[first]):,}",
            found=f"one that starts at byte {int(starts[first + 1]):,}",
            hint="The table may be damaged, or the layout may not fit; each entry's checksum tells which is whole.",
        )
    ]

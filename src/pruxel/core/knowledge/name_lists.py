"""Lists of paths for packs that keep only hashes of them: text files with a path a line, gzip welcome."""

from __future__ import annotations

import zlib
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from pydantic import Field

from pruxel.core.base.arrays import AnyArray, ByteArray
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.base.limits import Limits
from pruxel.core.binary.schema import Strict
from pruxel.core.native.hashes import hash_texts, positions_of

_GZIP = b"\x1f\x8b"
_LONGEST = 1000
_NEWLINE = 10


class Hashing(Strict):
    """How a pack turns a path into a number; `prefix` is put before every path, `separator` between its parts."""

    function: Literal[
        "crc32", "fnv1_32", "fnv1a_32", "fnv1_64", "fnv1a_64", "djb2", "murmur3_32", "xxhash32", "xxhash64"
    ]
    """`crc32 fnv1_32 fnv1a_32 fnv1_64 fnv1a_64 djb2 murmur3_32 xxhash32 xxhash64`."""
    seed: int = Field(0, ge=0, lt=1 << 64)
    """What it begins with."""
    case: Literal["keep", "lower", "upper"] = "lower"
    """`lower` (the default), `upper` or `keep`."""
    separator: Literal["/", "\\"] = "/"
    """What stands between the parts of a path: `/` or `\\`."""
    prefix: str = ""
    """Put before every path."""


@dataclass(frozen=True, eq=False)
class NameList:
    """Texts in one block: text i is `block[starts[i]:starts[i + 1]]`; `dropped` lines were no paths."""

    block: ByteArray
    starts: AnyArray
    dropped: int = 0

    def __len__(self) -> int:
        return len(self.starts) - 1

    def text(self, number: int) -> str:
        """One path, with forward slashes."""
        found = bytes(self.block[self.starts[number] : self.starts[number + 1]])
        return found.decode("utf-8", "replace").replace("\\", "/")


EMPTY = NameList(np.zeros(0, np.uint8), np.zeros(1, np.int64))


def parse_names(data: bytes | memoryview, name: str, limits: Limits) -> NameList:
    """Read a list of paths; lines that are empty are passed over, binary or overlong ones counted as dropped.

    Raises `InputError` for damaged gzip data or one that unpacks beyond the budget for texts.
    """
    text = _unzipped(bytes(data), name, limits).replace(b"\r", b"")
    if text and text[-1] != _NEWLINE:
        text += b"\n"
    values = np.frombuffer(text, np.uint8)
    ends = np.flatnonzero(values == _NEWLINE)
    if not len(ends):
        return EMPTY
    begins = np.concatenate([[0], ends[:-1] + 1])
    lengths = ends - begins
    odd = np.flatnonzero((values < 32) & (values != _NEWLINE))
    bad = lengths > _LONGEST
    if len(odd):
        bad[np.unique(np.searchsorted(ends, odd))] = True
    keep = ~bad & (lengths > 0)
    dropped = int(bad.sum())
    if keep.all():
        starts = np.concatenate([begins - np.arange(len(begins)), [len(values) - len(ends)]])
        return NameList(values[values != _NEWLINE], starts.astype(np.int64), dropped)
    return names_of((text[a:b] for a, b in zip(begins[keep], ends[keep], strict=True)), dropped)


def names_of(texts: Iterable[bytes], dropped: int = 0) -> NameList:
    """Texts put into one block."""
    kept = list(texts)
    starts = np.zeros(len(kept) + 1, np.int64)
    np.cumsum([len(t) for t in kept], out=starts[1:])
    return NameList(np.frombuffer(b"".join(kept), np.uint8), starts, dropped)


def joined(lists: Sequence[NameList]) -> NameList:
    """Several lists as one."""
    if len(lists) == 1:
        return lists[0]
    bases = np.cumsum([0, *(len(part.block) for part in lists)])
    starts = [part.starts[:-1] + base for part, base in zip(lists, bases, strict=False)]
    block = np.concatenate([part.block for part in lists]) if lists else EMPTY.block
    every = np.concatenate([*starts, [bases[-1]]]).astype(np.int64)
    return NameList(block, every, sum(part.dropped for part in lists))


def shown_name(name: str, rules: Hashing) -> str:
    """A listed name as it is shown: one all in capitals in small letters, where capitals mean nothing to the pack."""
    return name.lower() if rules.case != "keep" and name == name.upper() else name


def hash_names(names: NameList, rules: Hashing) -> AnyArray:
    """The hash of every name under a pack's rules: (k,) uint64."""
    table = bytearray(range(256))
    table[ord("/")] = table[ord("\\")] = ord(rules.separator)
    for upper in range(ord("A"), ord("Z") + 1):
        if rules.case == "lower":
            table[upper] = upper + 32
        elif rules.case == "upper":
            table[upper + 32] = upper
    block = np.frombuffer(names.block.tobytes().translate(bytes(table)), np.uint8)
    if not rules.prefix:
        return hash_texts(rules.function, block, names.starts, rules.seed)
    texts = (
        rules.prefix.encode() + bytes(block[a:b]) for a, b in zip(names.starts[:-1], names.starts[1:], strict=True)
    )
    longer = names_of(texts)
    return hash_texts(rules.function, longer.block, longer.starts, rules.seed)


def match_names(names: NameList, rules: Hashing, wanted: AnyArray) -> AnyArray:
    """For each wanted hash (m,) uint64 the number of the name that has it, or -1: (m,) int32."""
    if not len(names) or not len(wanted):
        return np.full(len(wanted), -1, np.int32)
    return positions_of(wanted.astype(np.uint64), hash_names(names, rules))


def _unzipped(data: bytes, name: str, limits: Limits) -> bytes:
    if not data.startswith(_GZIP):
        return data
    try:
        worker = zlib.decompressobj(wbits=31)
        found = worker.decompress(data, limits.text_bytes)
    except zlib.error as error:
        raise InputError(
            ErrorCode.CODEC, f"the gzip data is damaged ({error})", file=name, expected="a gzip-compressed text"
        ) from error
    if worker.unconsumed_tail:
        raise InputError(
            ErrorCode.BUDGET, "the list unpacks to too much", file=name, expected=f"at most {limits.text_bytes:,} bytes"
        )
    return found

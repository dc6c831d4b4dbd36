"""How a layout's `yields` describes the entries of a pack."""

from __future__ import annotations

from typing import Literal

from pydantic import model_validator

from pruxel.core.binary.schema import ExpressionText, Layout, Strict
from pruxel.core.knowledge.name_lists import Hashing


class EntriesSpec(Strict):
    """Where the entries of a pack lie.

    What is said of an entry is a field of the records in `each`, or an expression over their fields: `offset * 2048`.
    `names` is the field that holds a block of zero-ended paths; `path` then is the offset into it, else the path.
    A pack that keeps `hash` instead of `path` gets its paths from name lists, hashed by `hashing`.
    `volume` numbers the file that holds an entry, 0 being the one with the table; `volumes` names the others, with
    `{stem}` for this file's name without its ending and `{n}`, `{nn}`, `{nnn}` for the number with that many digits.
    With `blocks` (an array in the file of stored sizes) an entry is a run of blocks that each unpack to `block_size`
    bytes, the first at the entry's offset; `first_block` numbers it. `cipher` with the name of a `key` undoes an
    encryption of every entry's stored bytes, or of those whose field `sealed` is not zero; `iv` is a field of bytes.
    `key_check` is the CRC-32 of the right key.
    """

    each: ExpressionText
    """The records of the table."""
    path: ExpressionText | None = None
    """The entry's path, or, with `names`, the offset into that block of zero-ended names."""
    hash: ExpressionText | None = None
    """Instead of `path`: a hash of it."""
    hashing: Hashing | None = None
    """The rules of that hash, see below."""
    offset: ExpressionText
    """The byte where the entry begins."""
    base: ExpressionText | None = None
    """Added to every offset (an expression over the file)."""
    stored: ExpressionText
    """Its bytes in the pack."""
    size: ExpressionText | None = None
    """Its unpacked size, when it differs."""
    names: ExpressionText | None = None
    """The block of names."""
    codec: ExpressionText | None = None
    """How it is compressed: a codec, or a number that `codecs` explains."""
    codecs: dict[int, str] = {}
    """What the numbers of `codec` mean."""
    crc32: ExpressionText | None = None
    """A checksum of the unpacked bytes; compared on every read."""
    volume: ExpressionText | None = None
    """The number of the file that an entry lies in; 0 is this one."""
    volumes: str | None = None
    """The other files' names: `{stem}` is this file's name without its ending, `{n}`, `{nn}`, `{nnn}` the number with
    so many digits.
    """
    blocks: ExpressionText | None = None
    """The array of stored sizes of blocks, where entries are compressed block by block; the blocks of an entry follow
    each other from its offset.
    """
    first_block: ExpressionText | None = None
    """The number of an entry's first block."""
    block_size: ExpressionText | None = None
    """The unpacked size of a block."""
    cipher: Literal["aes_ctr", "aes_cbc", "xor"] | None = None
    """How entries are encrypted."""
    key: str | None = None
    """The *name* of the key."""
    iv: ExpressionText | None = None
    """The first counter of each."""
    sealed: ExpressionText | None = None
    """Only entries for which this is not zero are encrypted."""
    key_check: ExpressionText | None = None
    """The CRC-32 of the right key."""

    @model_validator(mode="after")
    def _sensible(self) -> EntriesSpec:
        if (self.path is None) == (self.hash is None):
            message = "a pack has either 'path' or 'hash'"
            raise ValueError(message)
        if self.hash is not None and self.hashing is None:
            message = "'hash' needs 'hashing', the rules of the hash function"
            raise ValueError(message)
        if len({self.blocks is None, self.first_block is None, self.block_size is None}) > 1:
            message = "'blocks', 'first_block' and 'block_size' go together"
            raise ValueError(message)
        if (self.cipher is None) != (self.key is None):
            message = "'cipher' and 'key' go together"
            raise ValueError(message)
        return self


def key_names(layout: Layout) -> set[str]:
    """The keys that a layout names, for its fields or for its entries."""
    found = {spec.key for fields in layout.records.values() for spec in fields if spec.key is not None}
    return found | ({str(layout.yields["entries"]["key"])} if "key" in layout.yields.get("entries", {}) else set())


def volume_name(pattern: str, file_name: str, number: int) -> str:
    """The file name of another volume."""
    stem = file_name.rpartition(".")[0] or file_name
    text = pattern.replace("{stem}", stem)
    for digits in (3, 2, 1):
        text = text.replace("{" + "n" * digits + "}", f"{number:0{digits}d}")
    return text

"""How a layout's `extract` section describes a pack."""

from __future__ import annotations

from typing import Literal

from pydantic import ValidationError, model_validator

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.binary.load import validation_words
from pruxel.core.binary.schema import ExpressionText, Layout, Strict
from pruxel.core.sources.name_lists import Hashing


class PackExtract(Strict):
    """Which fields of the table mean what. Each name without further word is a field of the records in `entries`.

    `names` is the field that holds a block of zero-ended paths; `path` then is the offset into it, else the path.
    A pack that keeps `hash` instead of `path` gets its paths from name lists, hashed by `hashing`.
    `volume` numbers the file that holds an entry, 0 being the one with the table; `volumes` names the others, with
    `{stem}` for this file's name without its ending and `{n}`, `{nn}`, `{nnn}` for the number with that many digits.
    With `blocks` (an array in the file of stored sizes) an entry is a run of blocks that each unpack to `block_size`
    bytes, the first at the entry's offset; `first_block` numbers it. `cipher` with the name of a `key` undoes an
    encryption of every entry's stored bytes, or of those whose field `sealed` is not zero; `iv` is a field of bytes.
    `key_check` is the CRC-32 of the right key.
    """

    entries: ExpressionText
    path: str | None = None
    hash: str | None = None
    hashing: Hashing | None = None
    offset: str
    base: ExpressionText | None = None
    stored: str
    size: str | None = None
    names: ExpressionText | None = None
    codec: str | None = None
    codecs: dict[int, str] = {}
    crc32: str | None = None
    volume: str | None = None
    volumes: str | None = None
    blocks: ExpressionText | None = None
    first_block: str | None = None
    block_size: ExpressionText | None = None
    cipher: Literal["aes_ctr", "aes_cbc", "xor"] | None = None
    key: str | None = None
    iv: str | None = None
    sealed: str | None = None
    key_check: ExpressionText | None = None

    @model_validator(mode="after")
    def _sensible(self) -> PackExtract:
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


def pack_extract(layout: Layout) -> PackExtract:
    """The layout's `extract` section as a pack's; raises `InputError`."""
    try:
        return PackExtract.model_validate(layout.extract)
    except ValidationError as error:
        place, words = validation_words(error)
        raise InputError(
            ErrorCode.LAYOUT, f"'extract' does not describe a pack: {words}", file=layout.layout, field=place
        ) from error


def key_names(layout: Layout) -> set[str]:
    """The keys that a layout names, for its fields or for its entries."""
    found = {spec.key for fields in layout.records.values() for spec in fields if spec.key is not None}
    return found | ({str(layout.extract["key"])} if "key" in layout.extract else set())


def volume_name(pattern: str, file_name: str, number: int) -> str:
    """The file name of another volume."""
    stem = file_name.rpartition(".")[0] or file_name
    text = pattern.replace("{stem}", stem)
    for digits in (3, 2, 1):
        text = text.replace("{" + "n" * digits + "}", f"{number:0{digits}d}")
    return text

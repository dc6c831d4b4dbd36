"""The layout language as Pydantic models. `docs/layouts.md` explains it with examples."""

from __future__ import annotations

from collections.abc import Collection
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, BaseModel, BeforeValidator, ConfigDict, Field, model_validator

from pruxel.core.binary.conventions import Conventions
from pruxel.core.binary.elements import element
from pruxel.core.binary.expressions import compile_expression

FORMAT_VERSION = 1
PLAIN_TYPES = ("bytes", "text", "pad", "value", "goto", "sibling", "word", "number", "line")
YIELDS = ("entries", "meshes", "placements", "skeletons", "clips", "materials", "textures", "markers", "tables")
Purpose = Literal["pack", "model", "level", "skeleton", "clips", "material", "texture", "data"]
_PURPOSES: dict[str, Purpose] = {
    "entries": "pack",
    "placements": "level",
    "meshes": "model",
    "skeletons": "skeleton",
    "clips": "clips",
    "materials": "material",
    "textures": "texture",
    "tables": "data",
}
_BITS = 64
_DEEPEST_LET = 12


def _expression_text(value: object) -> object:
    if isinstance(value, bool):
        return value
    return str(value) if isinstance(value, int | float) else value


def _listed(value: object) -> object:
    return (value,) if isinstance(value, str) else value


def _checked(text: str) -> str:
    compile_expression(text)
    return text


ExpressionText = Annotated[str, BeforeValidator(_expression_text), AfterValidator(_checked)]


class Strict(BaseModel):
    """A part of a layout: unknown keys are refused, so that a misspelt one is seen."""

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True, use_attribute_docstrings=True)


class Match(Strict):
    """How a file of this format is recognised: bytes near its beginning, patterns of paths, endings of names.

    A layout with bytes to look for goes before those that know only names.
    """

    magic: Annotated[tuple[str, ...], BeforeValidator(_listed)] = ()
    """Characters that stand in the file, or a list of such, one of which does."""
    hex: Annotated[tuple[str, ...], BeforeValidator(_listed)] = ()
    """The same as pairs of hexadecimal digits."""
    at: int = Field(0, ge=0, le=1 << 16)
    """The byte where they stand."""
    within: int = Field(0, ge=0, le=512)
    """Or anywhere in so many bytes from there on, within the first 512."""
    paths: tuple[str, ...] = ()
    """Patterns of paths, one of which must fit too: `*` within a part, `**` over parts."""
    extensions: tuple[str, ...] = ()
    """Endings of names, with their dot; for files without a magic."""
    test: ExpressionText | None = None
    """What else must be true, over the first fields of `file` and `file_end`: for files that nothing else tells, an
    equation that ties their counts to their size, or what their first values can be.
    """

    @model_validator(mode="after")
    def _readable(self) -> Match:
        try:
            marks = self.marks()
        except ValueError as error:
            message = "'hex' is pairs of hexadecimal digits, 'magic' is characters up to U+00FF"
            raise ValueError(message) from error
        if any(not mark for mark in marks):
            message = "an empty 'magic' stands in every file"
            raise ValueError(message)
        return self

    def marks(self) -> tuple[bytes, ...]:
        """The bytes looked for, one of which stands in the file; none where it has no magic."""
        return (*(text.encode("latin-1") for text in self.magic), *(bytes.fromhex(text) for text in self.hex))

    def fits(self, head: bytes) -> int:
        """The length of the longest mark that stands in the first bytes of a file; 0 for none."""
        found = 0
        for mark in self.marks():
            room = head[self.at : self.at + max(self.within, len(mark))]
            if mark in room:
                found = max(found, len(mark))
        return found


class Version(Strict):
    """Which field holds the version, and which versions this layout knows."""

    field: ExpressionText
    """The field that holds the version."""
    known: tuple[int, ...] = Field(min_length=1)
    """The versions that this layout reads; another one stops the reading with a clear error."""


class FieldSpec(Strict):
    """One field of a record."""

    name: str | None = Field(None, pattern=r"^[a-z][a-z0-9_]*$")
    """In lower case; a field with no name is read and forgotten."""
    type: str
    """An element type, the name of a record, or one of `bytes text pad value goto sibling word number line`."""
    count: ExpressionText | None = None
    """An array: one number view for element types, a table for records of fixed size, else a list."""
    until: ExpressionText | None = None
    """The same, up to and with the item for which this holds, seen from the item (`item` if it is no record); `end`:
    as long as there are bytes.
    """
    given: dict[str, ExpressionText] = Field(default_factory=dict, alias="with")
    """Names and values that the record is given, known in it like fields."""
    check: ExpressionText | None = None
    """What must be true once the field is read; else the file is refused."""
    size: ExpressionText | None = None
    """Bytes of `bytes`, `pad` or of `text` of a fixed size."""
    at: ExpressionText | None = None
    """Look elsewhere: the byte offset. The fields after it go on where they were, except after `goto`, which goes on
    there.
    """
    relative_to: Literal["file", "record", "here"] = "file"
    """What `at` counts from: `file` (the default), `record`, or `here`."""
    align: ExpressionText | None = None
    """Go on at the next multiple."""
    when: ExpressionText | None = None
    """The field is there only if this is true."""
    since: int | None = None
    """The field is there from this version on."""
    before: int | None = None
    """The field is there up to before this version."""
    stride: ExpressionText | None = None
    """Distance of records in an array, when larger than the record."""
    equals: int | str | None = None
    """What the value must be."""
    bits: dict[str, tuple[int, int]] | None = None
    """Cut an integer: each name with its first bit and its number of bits; `raw` is the whole."""
    names: dict[int, str] | str | None = None
    """Words for numbers, or the name of such words in `enums`."""
    encoding: Literal["utf-8", "utf-16-le", "utf-16-be", "latin-1", "shift-jis", "ascii"] = "utf-8"
    """Of text. Bytes that mean nothing in it are kept as `\\xNN`."""
    prefix: Literal["u8", "u16", "u32"] | None = None
    """The text's length in bytes stands before it, as a number of this type."""
    terminated: bool = False
    """The text ends at a zero."""
    codec: ExpressionText | None = None
    """The bytes are compressed: `stored zlib deflate zstd lz4 lz4_frame lzma brotli`."""
    unpacked: ExpressionText | None = None
    """Their size unpacked."""
    cipher: Literal["aes_ctr", "aes_cbc", "xor"] | None = None
    """The bytes are encrypted: AES with 128 or 256 bits, or repeating `xor`."""
    key: str | None = None
    """The *name* of the key."""
    iv: ExpressionText | None = None
    """The field with the first counter or block."""
    within: str | None = None
    """Read this field inside the bytes of that earlier field (unpacked, deciphered, or another file), where offsets
    count from its first byte.
    """
    value: ExpressionText | None = None
    """Of type `value`: computed, takes no bytes."""
    path: ExpressionText | None = None
    """Of type `sibling`: the path or name of the other file."""
    endian: Literal["little", "big"] | None = None
    """When it differs from the layout."""
    note: str = ""
    """For people."""

    @model_validator(mode="after")
    def _sensible(self) -> FieldSpec:
        if self.type == "value" and self.value is None:
            message = "a computed field needs 'value'"
            raise ValueError(message)
        if (self.type == "sibling") != (self.path is not None):
            message = "'sibling' needs 'path', and only it has one"
            raise ValueError(message)
        if self.type == "goto" and self.at is None:
            message = "'goto' needs 'at', the place where reading goes on"
            raise ValueError(message)
        if self.until is not None and self.count is not None:
            message = "a run ends by 'count' or by 'until', not by both"
            raise ValueError(message)
        if self.type in {"bytes", "pad"} and self.size is None:
            message = f"'{self.type}' needs 'size'"
            raise ValueError(message)
        if self.type == "text" and self.size is None and self.prefix is None and not self.terminated:
            message = "'text' needs one of 'size', 'prefix', 'terminated'"
            raise ValueError(message)
        if self.codec is not None and (self.unpacked is None or self.type != "bytes"):
            message = "'codec' goes with type bytes and with 'unpacked'"
            raise ValueError(message)
        if (self.cipher is None) != (self.key is None) or (self.cipher is not None and self.type != "bytes"):
            message = "'cipher' goes with type bytes and with the name of a 'key'"
            raise ValueError(message)
        if self.bits is not None and any(n < 1 or first < 0 or first + n > _BITS for first, n in self.bits.values()):
            message = f"'bits' gives each name the first bit and the number of bits, all within {_BITS}"
            raise ValueError(message)
        if self.repeated and (self.equals is not None or self.names is not None):
            message = "'equals' and 'names' are for one value, not for a run with 'count'"
            raise ValueError(message)
        return self

    @property
    def repeated(self) -> bool:
        """Whether the field is a run of values."""
        return self.count is not None or self.until is not None


def is_type(kind: str, records: Collection[str]) -> bool:
    """Whether fields may be of that type: a plain one, a record, or an element type."""
    return kind in PLAIN_TYPES or kind in records or element(kind) is not None


def _no_ring(let: dict[str, str], name: str, above: tuple[str, ...]) -> None:
    for below in compile_expression(let[name]).names & let.keys():
        if below in above or len(above) > _DEEPEST_LET:
            raise ValueError(f"'let' leads back to '{below}'")
        _no_ring(let, below, (*above, below))


class Layout(Strict):
    """A whole format. The record called `file` is where reading starts."""

    layout: str = Field(pattern=r"^[a-z][a-z0-9_]*$")
    """Its name, in lower case."""
    format: Literal[1] = Field(1, description="version of the layout language")
    """Version of this language; 1."""
    title: str = ""
    """What people call it."""
    include: Annotated[tuple[str, ...], BeforeValidator(_listed)] = ()
    """Other layouts of the profile, or of the same folder, whose records (but `file`), `enums`, `constants` and `let`
    are known here too.
    """
    match: Match = Field(default_factory=Match)
    """How such a file is recognised."""
    endian: Literal["little", "big"] = "little"
    """`little` (the default) or `big`."""
    version: Version | None = None
    """Where the version of the format stands, and those that are known. Several layouts with one magic are one format
    in several versions: the one that knows a file's version is taken.
    """
    text: Literal["json", "xml", "table", "blocks"] | None = None
    """The file is a text that is read as a tree, known as `root`: see below."""
    comments: tuple[Annotated[str, Field(min_length=1, max_length=4)], ...] = ()
    """Marks, such as `//` or `#`, behind which a line of words is not read."""
    constants: dict[str, int | float | str] = Field(default_factory=dict)
    """Names for numbers and texts."""
    let: dict[str, ExpressionText] = Field(default_factory=dict)
    """Names for expressions. They are worked out where they are used, and see what can be seen there."""
    enums: dict[str, dict[int, str]] = Field(default_factory=dict)
    """Words for numbers under a name, for `names` of several fields."""
    records: dict[str, tuple[FieldSpec, ...]]
    """The records, each a list of fields. Reading starts at the one called `file`."""
    yields: dict[Literal[YIELDS], dict[str, Any]] = Field(default_factory=dict)  # type: ignore[valid-type]
    """What the file holds: one section for each kind of thing, see below."""
    like: Purpose | None = None
    """What such a file is to people, when that is not the first thing that it yields."""
    conventions: Conventions | None = None
    """Axes, unit, winding and UV origin, when they differ from the profile's."""

    @model_validator(mode="after")
    def _names_known(self) -> Layout:
        for name in self.let:
            _no_ring(self.let, name, (name,))
        if "file" not in self.records:
            message = "there is no record called 'file' to start from"
            raise ValueError(message)
        for record, fields in self.records.items():
            for spec in fields:
                if isinstance(spec.names, str) and spec.names not in self.enums:
                    message = f"record '{record}': there are no names called '{spec.names}' in 'enums'"
                    raise ValueError(message)
                if is_type(spec.type, self.records):
                    continue
                message = f"record '{record}': '{spec.type}' is neither a type nor a record"
                raise ValueError(message)
        return self

    @property
    def reads(self) -> Purpose:
        """What such a file is to people: the first of what it yields, if the layout does not say."""
        if self.like is not None:
            return self.like
        return next((purpose for key, purpose in _PURPOSES.items() if key in self.yields), "data")

    def words_of(self, spec: FieldSpec) -> dict[int, str] | None:
        """The words that stand for a field's numbers."""
        return self.enums[spec.names] if isinstance(spec.names, str) else spec.names

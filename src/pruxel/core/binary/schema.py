"""The layout language as Pydantic models. `docs/layouts.md` explains it with examples."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import AfterValidator, BaseModel, BeforeValidator, ConfigDict, Field, model_validator

from pruxel.core.binary.elements import element
from pruxel.core.binary.expressions import compile_expression

FORMAT_VERSION = 1
PLAIN_TYPES = ("bytes", "text", "pad", "value")
_BITS = 64


def _expression_text(value: object) -> object:
    if isinstance(value, bool):
        return value
    return str(value) if isinstance(value, int | float) else value


def _checked(text: str) -> str:
    compile_expression(text)
    return text


ExpressionText = Annotated[str, BeforeValidator(_expression_text), AfterValidator(_checked)]


class Strict(BaseModel):
    """A part of a layout: unknown keys are refused, so that a misspelt one is seen."""

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True)


class Match(Strict):
    """How a file of this format is recognised: bytes at an offset, and name endings."""

    magic: str | None = None
    hex: str | None = None
    at: int = Field(0, ge=0, le=1 << 16)
    extensions: tuple[str, ...] = ()

    @model_validator(mode="after")
    def _readable(self) -> Match:
        try:
            self.bytes()
        except ValueError as error:
            message = "'hex' is pairs of hexadecimal digits, 'magic' is characters up to U+00FF"
            raise ValueError(message) from error
        return self

    def bytes(self) -> bytes | None:
        """The bytes looked for."""
        if self.hex is not None:
            return bytes.fromhex(self.hex)
        return None if self.magic is None else self.magic.encode("latin-1")


class Version(Strict):
    """Which field holds the version, and which versions this layout knows."""

    field: ExpressionText
    known: tuple[int, ...] = Field(min_length=1)


class FieldSpec(Strict):
    """One field of a record."""

    name: str | None = Field(None, pattern=r"^[a-z][a-z0-9_]*$")
    type: str
    count: ExpressionText | None = None
    size: ExpressionText | None = None
    at: ExpressionText | None = None
    relative_to: Literal["file", "record", "here"] = "file"
    align: ExpressionText | None = None
    when: ExpressionText | None = None
    since: int | None = None
    before: int | None = None
    stride: ExpressionText | None = None
    equals: int | str | None = None
    bits: dict[str, tuple[int, int]] | None = None
    names: dict[int, str] | None = None
    encoding: Literal["utf-8", "utf-16-le", "utf-16-be", "latin-1", "shift-jis", "ascii"] = "utf-8"
    prefix: Literal["u8", "u16", "u32"] | None = None
    terminated: bool = False
    codec: ExpressionText | None = None
    unpacked: ExpressionText | None = None
    cipher: Literal["aes_ctr", "aes_cbc", "xor"] | None = None
    key: str | None = None
    iv: ExpressionText | None = None
    within: str | None = None
    value: ExpressionText | None = None
    endian: Literal["little", "big"] | None = None
    note: str = ""

    @model_validator(mode="after")
    def _sensible(self) -> FieldSpec:
        if self.type == "value" and self.value is None:
            message = "a computed field needs 'value'"
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
        if self.count is not None and (self.equals is not None or self.names is not None):
            message = "'equals' and 'names' are for one value, not for a run with 'count'"
            raise ValueError(message)
        return self


class Layout(Strict):
    """A whole format. The record called `file` is where reading starts."""

    layout: str = Field(pattern=r"^[a-z][a-z0-9_]*$")
    format: Literal[1] = Field(1, description="version of the layout language")
    title: str = ""
    reads: Literal["pack", "model", "skeleton", "clips", "material", "level", "data"]
    match: Match = Field(default_factory=Match)
    endian: Literal["little", "big"] = "little"
    version: Version | None = None
    constants: dict[str, int | float | str] = Field(default_factory=dict)
    records: dict[str, tuple[FieldSpec, ...]]
    extract: dict[str, Any] = Field(default_factory=dict)

    @model_validator(mode="after")
    def _names_known(self) -> Layout:
        if "file" not in self.records:
            message = "there is no record called 'file' to start from"
            raise ValueError(message)
        for record, fields in self.records.items():
            for spec in fields:
                if spec.type in PLAIN_TYPES or spec.type in self.records or element(spec.type):
                    continue
                message = f"record '{record}': '{spec.type}' is neither a type nor a record"
                raise ValueError(message)
        return self

"""What the parameters of a step may point at, each a type of its own: forms offer a choice of just that.

A reference is text (a name, a path, an id). Its type says what it refers to, in Python and in the JSON schema
(`refers_to`); a quantity says its unit (`unit`). Both are read by the page's forms and by the registry.
"""

from __future__ import annotations

import typing
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, GetJsonSchemaHandler
from pydantic.json_schema import JsonSchemaValue
from pydantic_core import CoreSchema

Target = Literal["part", "material", "texture", "joint", "clip", "variant", "entry", "workpiece"]


@dataclass(frozen=True)
class Refers:
    """Marks text that names something; of entries, perhaps only those of a kind."""

    to: Target
    kind: str = ""

    def __get_pydantic_json_schema__(self, core: CoreSchema, handler: GetJsonSchemaHandler) -> JsonSchemaValue:
        """The plain schema of text, with what it refers to."""
        return handler(core) | {"refers_to": self.to} | ({"entry_kind": self.kind} if self.kind else {})


@dataclass(frozen=True)
class Unit:
    """Marks a number that is a quantity."""

    name: str

    def __get_pydantic_json_schema__(self, core: CoreSchema, handler: GetJsonSchemaHandler) -> JsonSchemaValue:
        """The plain schema of a number, with its unit."""
        return handler(core) | {"unit": self.name}


Part = Annotated[str, Refers("part")]
MaterialName = Annotated[str, Refers("material")]
TextureName = Annotated[str, Refers("texture")]
Joint = Annotated[str, Refers("joint")]
ClipName = Annotated[str, Refers("clip")]
VariantName = Annotated[str, Refers("variant")]
Entry = Annotated[str, Refers("entry")]
ModelEntry = Annotated[str, Refers("entry", "model")]
ClipsEntry = Annotated[str, Refers("entry", "clips")]
TextureEntry = Annotated[str, Refers("entry", "texture")]
WorkpieceId = Annotated[str, Refers("workpiece")]
Metres = Annotated[float, Unit("m")]
Degrees = Annotated[float, Unit("°")]
Seconds = Annotated[float, Unit("s")]


def _visible(text: str) -> str:
    if any(ord(letter) < 32 for letter in text):
        message = "a name holds letters, no control characters"
        raise ValueError(message)
    return text


# Part of a name that somebody gives.
NameText = Annotated[str, Field(max_length=200), AfterValidator(_visible)]
# As displays show it, `#rrggbb`.
Color = Annotated[str, Field(pattern=r"^#[0-9a-fA-F]{6}$", json_schema_extra={"format": "color"})]
Share = Annotated[float, Unit("%"), Field(ge=0, le=100)]
Parts = Annotated[tuple[Part, ...], Field(title="Parts", description="names of the parts; none means all")]
Materials = Annotated[tuple[MaterialName, ...], Field(title="Materials", description="their names; none means all")]
SamePlace = Annotated[
    Metres, Field(ge=0, le=10, title="Distance", description="vertices no farther apart stand at one place")
]
Place = tuple[Metres, Metres, Metres]


class FaceSet(BaseModel):
    """Some triangles of a part by their numbers, through all surfaces of it: `0-11, 40`."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    part: Annotated[Part, Field(max_length=1000)]
    faces: Annotated[str, Field(max_length=100_000, pattern=r"^( *[0-9]{1,9}(-[0-9]{1,9})? *(,|$))*$")] = Field(
        "", title="Faces", description="numbers and ranges: 0-11, 40"
    )


@dataclass(frozen=True)
class Reference:
    """One reference found in parameters."""

    to: Target
    name: str


def references_in(params: BaseModel) -> Iterator[Reference]:
    """All references that parameters hold, at any depth."""
    hints = _hints(type(params))
    for name in type(params).model_fields:
        yield from _inside(getattr(params, name), hints[name])


def marks_of(params: type[BaseModel]) -> Iterator[Refers]:
    """What parameters of this type may refer to."""
    for hint in _hints(params).values():
        yield from _marks(hint)


@cache
def _hints(params: type[BaseModel]) -> dict[str, Any]:
    return typing.get_type_hints(params, include_extras=True)


def _inside(value: Any, hint: Any) -> Iterator[Reference]:  # noqa: ANN401 - any parameter
    if isinstance(value, BaseModel):
        yield from references_in(value)
    elif isinstance(value, str) and value:  # an empty text names nothing
        yield from (Reference(mark.to, value) for mark in _marks(hint))
    elif isinstance(value, tuple | list):
        for item in value:
            yield from _inside(item, hint)


def _marks(hint: Any) -> Iterator[Refers]:  # noqa: ANN401 - a type
    """The marks anywhere in a type."""
    if typing.get_origin(hint) is Annotated:
        yield from (item for item in hint.__metadata__ if isinstance(item, Refers))
    for inner in typing.get_args(hint):
        if not isinstance(inner, Refers | Unit):
            yield from _marks(inner)

"""What the routes about projects, sources, profiles, keys and names take and give."""

from __future__ import annotations

from typing import Annotated
from uuid import UUID

from pydantic import BaseModel, Field

from pruxel.core.scene.meanings import Meaning
from pruxel.server.api.limits import EntryNumber


class ProjectOut(BaseModel):
    id: UUID
    name: str
    about: str
    language: str | None
    languages: list[str]
    profile: str


class ProjectIn(BaseModel):
    name: str = Field(min_length=1, max_length=120)


class LanguageIn(BaseModel):
    language: str | None = Field(None, max_length=40)


class SourceProblem(BaseModel):
    code: str
    line: str
    hint: str | None = None


class SourceOut(BaseModel):
    """A source of the stack; `counts` says whether it takes part in the merged view."""

    id: UUID
    mount: str
    label: str
    kind: str
    position: int
    on: bool
    counts: bool
    layer: str
    language: str | None
    state: str
    entries: int
    size: int
    named: int
    hashed: int
    any_version: bool
    problems: list[SourceProblem]


class MountIn(BaseModel):
    """`path` may lead into packs with `!`."""

    path: str = Field(min_length=1, max_length=4096)
    force: bool = False


class SourceIn(BaseModel):
    on: bool | None = None
    layer: str | None = Field(None, max_length=80)
    any_version: bool | None = None


class OrderIn(BaseModel):
    """All sources of the project, highest first."""

    sources: list[UUID] = Field(max_length=10_000)


class PlaceOut(BaseModel):
    """A folder or file below a permitted root."""

    name: str
    path: str
    folder: bool
    size: int


class PlacesOut(BaseModel):
    path: str | None
    parent: str | None
    places: list[PlaceOut]


class ProblemRow(BaseModel):
    """One line of the project's list of problems."""

    source: UUID | None
    label: str
    code: str
    line: str
    hint: str | None


class FitOut(BaseModel):
    """A profile that fits a folder, with the reasons. `text` is it as one file when it comes from another project."""

    name: str
    about: str
    score: int
    reasons: list[str]
    version: str | None
    file: str
    text: str


class ProfileIn(BaseModel):
    text: str = Field(max_length=256 << 20)


class SchemeIn(BaseModel):
    """What is in which channel of the textures that match."""

    name: str = Field(min_length=1, max_length=200)
    match: list[Annotated[str, Field(min_length=1, max_length=1000)]] = Field(min_length=1, max_length=100)
    red: Meaning = "nothing"
    green: Meaning = "nothing"
    blue: Meaning = "nothing"
    alpha: Meaning = "nothing"


class ProfileOut(BaseModel):
    """The profile's text and what it holds; `problem` says why it does not hold together."""

    text: str
    name: str
    layouts: list[str]
    layers: list[str]
    keys: list[str]
    tables: list[str]
    variants: list[str]
    version: str | None
    problem: str | None


class KeyIn(BaseModel):
    name: str = Field(min_length=1, max_length=80)
    value: str = Field(min_length=1, max_length=8192)


class KeyOut(BaseModel):
    """A key of the ring, never its value. `wanted` when packs or the profile name it; `here` when it is in the ring."""

    name: str
    here: bool
    wanted: bool
    shown: str
    about: str


class NameListOut(BaseModel):
    id: UUID
    label: str
    names: int
    dropped: int


class NameIn(BaseModel):
    """A name for one entry that has only a hash."""

    entry: EntryNumber
    name: str = Field(min_length=1, max_length=1000)


class UploadIn(BaseModel):
    name: str = Field(min_length=1, max_length=1000)
    size: int = Field(ge=0, le=1 << 44)


class UploadOut(BaseModel):
    """An upload: send bytes from `have` on."""

    id: str
    name: str
    size: int
    have: int
    path: str | None

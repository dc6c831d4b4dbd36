"""What the byte view and the layout editor send and get."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, Field

from pruxel.server.api.browse_models import ProblemOut, TableLook

_MOST_TEXT = 200_000


class StripOut(BaseModel):
    """A file from afar, piece by piece: entropy in bits a byte, least and highest byte, share of zeros."""

    path: str
    kind: str
    size: int
    entropy: list[float]
    least: list[int]
    most: list[int]
    zeros: list[float]


class WordOut(BaseModel):
    """A word of the layout language, the block that knows it (or `function`, `type`…), and what it means."""

    word: str
    kind: str
    about: str


class ExampleOut(BaseModel):
    """A layout to begin from."""

    name: str
    title: str
    text: str


class ReadAsOut(BaseModel):
    """The bytes at a place read as one type."""

    type: str
    little: str
    big: str


class FindsOut(BaseModel):
    """Where something stands: first bytes, and how many bytes each takes; `more` when the list was cut."""

    offsets: list[int]
    size: int
    more: bool


class StretchOut(BaseModel):
    """Bytes `first` to `end`, the one after the last."""

    first: int
    end: int


class ComparedOut(BaseModel):
    """The stretches in which an entry differs from the other, and the size of that."""

    other: int
    ranges: list[StretchOut]
    size: int
    more: bool


class LayoutIn(BaseModel):
    """The text of a layout."""

    text: Annotated[str, Field(max_length=_MOST_TEXT)]


class FieldOut(BaseModel):
    """A field that a layout reads: its first byte, the one after the last, and its value in words."""

    name: str
    first: int
    end: int
    value: str
    fields: list[FieldOut] = []


class AroundOut(BaseModel):
    """Bytes around the place of a failure."""

    offset: int
    hex: str


class LayoutProblemOut(ProblemOut):
    """What went wrong in reading by a layout, with the bytes around."""

    around: AroundOut | None = None


class DescribedOut(BaseModel):
    """What a layout in the making reads of an entry.

    `faults` are mistakes of its text; `problem` is why reading ended early; `claims` whether it would be chosen for
    this entry; `scene` the stored scene of what it yields, `table` its first rows; `constants` its numbers and texts by
    name.
    """

    faults: list[ProblemOut]
    fields: list[FieldOut]
    yields: list[str]
    scene: str | None
    table: TableLook | None = None
    problem: LayoutProblemOut | None = None
    claims: bool = False
    constants: dict[str, int | float | str] = {}


class SpanOut(BaseModel):
    """Bytes that a guess speaks of."""

    name: str
    first: int
    end: int


class GuessOut(BaseModel):
    """What an entry may hold; `layout` is the text of a layout that shows it, or empty."""

    kind: Literal["mesh", "picture", "compressed", "texts", "places", "turns"]
    title: str
    confidence: float
    reasons: list[str]
    spans: list[SpanOut]
    layout: str


class GuessesOut(BaseModel):
    """How guessing stands, and what was found."""

    status: str
    job: str | None
    found: list[GuessOut]
    looked_at: int
    size: int
    problem: ProblemOut | None = None

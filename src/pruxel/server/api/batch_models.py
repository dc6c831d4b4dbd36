"""What the routes about batches take and give."""

from __future__ import annotations

from typing import Annotated, Literal
from uuid import UUID

from pydantic import BaseModel, Field

from pruxel.server.api.limits import Plain
from pruxel.server.api.models import NameIn, StepModel, Wears, WrittenAs

MOST_ITEMS = 5_000


class ThingIn(NameIn):
    """Something to open: its entries, and which stands in which slot."""

    entries: list[Annotated[str, Field(max_length=4096)]] = Field(min_length=1, max_length=500)
    wears: Wears = Field(default_factory=dict)


class BatchSteps(NameIn):
    """Steps for each of many entries, for every model that a search finds, or for things of several entries.

    A dry run changes nothing; `wanted` delivers what comes.
    """

    steps: list[StepModel] = Field(min_length=1, max_length=500)
    entries: list[Annotated[str, Field(max_length=4096)]] = Field(default_factory=list, max_length=MOST_ITEMS)
    query: Plain | None = None
    things: list[ThingIn] = Field(default_factory=list, max_length=MOST_ITEMS)
    dry: bool = True
    wanted: WrittenAs | None = None


class BatchAgain(BaseModel):
    """The same once more: over the files as they are now, dry or not."""

    dry: bool = True
    wanted: WrittenAs | None = None


class StepToldOut(BaseModel):
    step: str
    title: str
    summary: str = ""
    fault: str = ""
    before: int = 0
    after: int = 0
    changed: list[str] = []
    added: list[str] = []
    removed: list[str] = []
    materials: list[str] = []


class BatchItemOut(BaseModel):
    """One item; `differences` from the run before, `delivered` as far as its delivery is proven."""

    name: str
    entries: list[str]
    wears: dict[str, str] = {}
    state: Literal["waiting", "running", "done", "failed"]
    fault: str = ""
    steps: list[StepToldOut] = []
    triangles: int = 0
    size: list[float] = []
    findings: list[str] = []
    picture: str = ""
    differences: list[str] = []
    workpiece: UUID | None = None
    delivered: str = ""


class BatchOut(BaseModel):
    """A batch: how many of its items are in which state, and whether anybody works on it."""

    id: UUID
    name: str
    steps: list[StepModel]
    dry: bool
    delivers: bool
    before: UUID | None
    created: str
    counts: dict[str, int]
    working: bool


class BatchWhole(BatchOut):
    items: list[BatchItemOut]

"""What the routes take and give. The page's types are generated from these."""

from __future__ import annotations

from typing import Annotated, Any, Literal
from uuid import UUID

from pydantic import BaseModel, Field

from pruxel.core.deliver.purposes import Purpose
from pruxel.core.recipe.document import Rule
from pruxel.server.api.limits import Plain, Word


class Problem(BaseModel):
    """An error as problem details (RFC 9457): what, where, expected, found, what to try."""

    title: str
    status: int
    code: str
    detail: str
    file: str | None = None
    offset: int | None = None
    field: str | None = None
    expected: str | None = None
    found: str | None = None
    hint: str | None = None


class StepModel(BaseModel):
    """A step of a list; `because` is the finding that it answered."""

    step: Word
    params: Plain = Field(default_factory=dict)
    on: bool = True
    rule: Rule | None = None
    because: str = Field("", max_length=80)


class StepsIn(BaseModel):
    steps: list[StepModel] = Field(max_length=200)


Wears = Annotated[
    dict[Annotated[str, Field(max_length=200)], Annotated[str, Field(max_length=4096)]], Field(max_length=100)
]


class WorkpieceIn(BaseModel):
    """`source` opens the versions of one source rather than those that win. `wears`: which entry in which slot."""

    entries: list[Annotated[str, Field(max_length=4096)]] = Field(min_length=1, max_length=500)
    source: UUID | None = None
    wears: Wears = Field(default_factory=dict)
    name: str = Field("", max_length=200)


class VariantOut(BaseModel):
    """An entry that may stand in a slot: how sure that is (0 to 1), and why."""

    entry: int
    path: str
    sureness: float
    why: str
    picture: str | None


class SlotOut(BaseModel):
    """A slot of a thing made of parts; `params` are those of the step that empties it."""

    name: str
    params: dict[str, Any]
    variants: list[VariantOut]


class SettledIn(BaseModel):
    """The keys of findings that are meant so."""

    settled: list[Annotated[str, Field(max_length=400)]] = Field(max_length=2_000)


class WorkpieceOut(BaseModel):
    """`settled` are the keys of findings that are meant so.

    `picture` is the key of its last picture, in the list of all and where one was drawn.
    """

    id: UUID
    name: str
    entries: list[str]
    steps: list[StepModel]
    can_undo: bool
    can_redo: bool
    settled: list[str] = []
    picture: str = ""


class NameIn(BaseModel):
    name: str = Field(min_length=1, max_length=200)


class RecipeIn(NameIn):
    steps: list[StepModel] = Field(min_length=1, max_length=500)


class RecipeFileIn(NameIn):
    """A recipe's file: what it is called and what is in it."""

    text: str = Field(max_length=1 << 20)


class RecipeOut(BaseModel):
    id: UUID
    name: str
    steps: list[StepModel]


class ApplyIn(BaseModel):
    """Workpieces that a recipe's steps are added to."""

    workpieces: list[UUID] = Field(min_length=1, max_length=500)


class StepKindOut(BaseModel):
    """A step that there is; `acts_on_parts` when parts may be chosen for it, else it works on the whole."""

    name: str
    title: str
    about: str
    group: str
    acts_on_parts: bool
    parameters: dict[str, Any]


class RuleOut(BaseModel):
    name: str
    title: str


class FormatOut(BaseModel):
    """A format that can be written; `options` is the JSON schema of what may be chosen."""

    name: str
    title: str
    carries: list[str]
    options: dict[str, Any]


Options = Plain


class WrittenAs(BaseModel):
    """How something is delivered: `options` are those of each format, by its name, `plan` what goes into which files.

    `below` is a folder below the output root.
    """

    formats: list[Annotated[str, Field(max_length=40)]] = Field(min_length=1, max_length=40)
    options: Options = {}
    plan: Options = {}
    below: str = Field("", max_length=200)


class DeliveryIn(WrittenAs):
    """One workpiece, or several: `also` are those beside it."""

    name: str = Field(min_length=1, max_length=120)
    also: list[UUID] = Field([], max_length=200)


class BatchIn(WrittenAs):
    """Models to be delivered one by one, or all in one delivery, which then needs a name."""

    together: str = Field("", max_length=120)
    entries: list[Annotated[str, Field(max_length=4096)]] = Field(min_length=1, max_length=500)


class NamesIn(BaseModel):
    """What files are called by: a plan, and words for an example."""

    plan: Options = {}
    name: str = Field(min_length=1, max_length=120)
    piece: str = Field(max_length=4096)
    clip: str = Field(max_length=4096)


class NamesOut(BaseModel):
    """How a file would be called, without its ending."""

    example: str


class PurposesOut(BaseModel):
    """Starting points of deliveries, those of our own and those that were kept, and the schema of a plan."""

    plan: dict[str, Any]
    ours: list[Purpose]
    kept: list[Purpose]


class CheckOut(BaseModel):
    what: str
    written: str
    read: str
    passed: bool
    warning: bool = False


Outcome = Literal["proven", "failed", "not made"]


class ProofOut(BaseModel):
    file: str
    reader: str
    checks: list[CheckOut]
    not_made: str = ""
    outcome: Outcome


class FileOut(BaseModel):
    path: str
    size: int


class FormatReportOut(BaseModel):
    format: str
    main: str
    files: list[FileOut]
    left_out: list[str]
    proofs: list[ProofOut]
    picture: str = ""
    before: str = ""


class ReportOut(BaseModel):
    name: str
    formats: list[FormatReportOut]
    told: list[str] = []
    outcome: Outcome
    picture: str = ""


class Named(BaseModel):
    id: UUID
    name: str


class DeliveryOut(BaseModel):
    id: UUID
    name: str
    file_name: str
    workpiece_id: UUID
    also: list[Named]
    formats: list[str]
    options: Options
    plan: Options
    below: str
    job: UUID | None
    report: ReportOut | None
    folder: str | None
    archive_size: int
    size: int
    created: str


class JobOut(BaseModel):
    id: UUID
    project_id: UUID
    kind: str
    title: str
    status: Literal["queued", "running", "done", "failed", "cancelled", "paused"]
    fraction: float
    message: str
    fault: dict[str, Any] | None
    payload: dict[str, Any]
    away: bool
    created: str
    ended: str | None

"""What the routes take and give. The page's types are generated from these."""

from __future__ import annotations

from typing import Any, Literal
from uuid import UUID

from pydantic import BaseModel, Field


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


class ProjectOut(BaseModel):
    id: UUID
    name: str
    about: str


class ProjectIn(BaseModel):
    name: str = Field(min_length=1, max_length=120)


class SourceProblem(BaseModel):
    code: str
    line: str


class SourceOut(BaseModel):
    id: UUID
    mount: str
    label: str
    kind: str
    position: int
    entries: int
    size: int
    problems: list[SourceProblem]


class MountIn(BaseModel):
    path: str = Field(min_length=1, max_length=4096)


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


class EntryOut(BaseModel):
    id: int
    path: str
    kind: str
    size: int
    source: str
    shadowed: list[str]
    picture: str | None


class EntriesOut(BaseModel):
    entries: list[EntryOut]
    total: int
    kinds: dict[str, int]
    next: str | None


class FolderOut(BaseModel):
    path: str
    entries: int


class StepModel(BaseModel):
    step: str
    params: dict[str, Any] = Field(default_factory=dict)
    on: bool = True


class StepsIn(BaseModel):
    steps: list[StepModel] = Field(max_length=200)


class WorkpieceIn(BaseModel):
    entries: list[str] = Field(min_length=1, max_length=500)


class WorkpieceOut(BaseModel):
    id: UUID
    name: str
    entries: list[str]
    steps: list[StepModel]
    can_undo: bool
    can_redo: bool


class PartOut(BaseModel):
    name: str
    triangles: int
    vertices: int
    materials: list[str]
    size: list[float]
    role: str
    detail: int


class FactsOut(BaseModel):
    triangles: int
    vertices: int
    minimum: list[float]
    maximum: list[float]
    size: list[float]
    area: float
    materials: list[str]
    textures: list[str]
    joints: int
    clips: list[str]
    parts: list[PartOut]


class EvidenceOut(BaseModel):
    label: str
    value: float | int | str
    unit: str


class SuggestionOut(BaseModel):
    step: str
    params: dict[str, Any]
    label: str


class FindingOut(BaseModel):
    rule: str
    severity: Literal["note", "warning", "problem"]
    title: str
    detail: str
    parts: list[str]
    evidence: list[EvidenceOut]
    suggestion: SuggestionOut | None


class StepFault(BaseModel):
    line: str
    hint: str | None = None


class StepRunOut(BaseModel):
    step: str
    summary: str
    fault: StepFault | None
    before: int
    after: int


class ViewContent(BaseModel):
    scene: str
    facts: FactsOut
    steps: list[StepRunOut]
    findings: list[FindingOut] | None
    pictures: list[str]
    conventions: str


class ViewOut(BaseModel):
    """`content` is null while `job` is still at it; findings and pictures arrive after the scene."""

    key: str
    content: ViewContent | None
    job: UUID | None


class StepKindOut(BaseModel):
    name: str
    title: str
    about: str
    parameters: dict[str, Any]


class FormatOut(BaseModel):
    name: str
    title: str
    carries: list[str]


class DeliveryIn(BaseModel):
    name: str = Field(min_length=1, max_length=120)
    formats: list[str] = Field(min_length=1)


class CheckOut(BaseModel):
    what: str
    written: str
    read: str
    passed: bool


class ProofOut(BaseModel):
    file: str
    reader: str
    checks: list[CheckOut]
    passed: bool


class FileOut(BaseModel):
    path: str
    size: int


class FormatReportOut(BaseModel):
    format: str
    main: str
    files: list[FileOut]
    left_out: list[str]
    proofs: list[ProofOut]


class ReportOut(BaseModel):
    name: str
    formats: list[FormatReportOut]
    passed: bool


class DeliveryOut(BaseModel):
    id: UUID
    name: str
    workpiece_id: UUID
    formats: list[str]
    job: UUID | None
    report: ReportOut | None
    folder: str | None
    archive_size: int
    created: str


class JobOut(BaseModel):
    id: UUID
    project_id: UUID
    kind: str
    title: str
    status: Literal["queued", "running", "done", "failed", "cancelled"]
    fraction: float
    message: str
    fault: dict[str, Any] | None
    payload: dict[str, Any]

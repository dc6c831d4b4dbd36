"""What the Bench is told of a workpiece as it comes out."""

from __future__ import annotations

from typing import Any, Literal
from uuid import UUID

from pydantic import BaseModel

from pruxel.core.recipe.document import Rule


class WayOut(BaseModel):
    """One way of keeping a step for other workpieces."""

    words: str
    params: dict[str, Any]
    rule: Rule | None


class PartOut(BaseModel):
    name: str
    area: float
    triangles: int
    vertices: int
    materials: list[str]
    size: list[float]
    role: str
    detail: int


class ClipFactsOut(BaseModel):
    name: str
    seconds: float
    rate: float
    frames: int
    keys: int
    nodes: int
    moves: list[str]
    entry: str


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
    points: list[str] = []
    clips: list[ClipFactsOut]
    variants: list[str]
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
    """`key` is what it is told by when somebody says that it is meant so; `by_profile`: the profile says so."""

    rule: str
    key: str = ""
    by_profile: bool = False
    severity: Literal["note", "warning", "problem"]
    title: str
    detail: str
    parts: list[str]
    evidence: list[EvidenceOut]
    suggestion: SuggestionOut | None


class StepFault(BaseModel):
    """Why a step was passed over; `line` is all of it in one line."""

    line: str
    message: str
    file: str | None = None
    offset: int | None = None
    field: str | None = None
    expected: str | None = None
    found: str | None = None
    hint: str | None = None


class StepRunOut(BaseModel):
    step: str
    summary: str
    fault: StepFault | None
    before: int
    after: int
    ways: list[WayOut] = []
    before_scene: str = ""


class LinkOut(BaseModel):
    """What something was joined with, and how that was found; nothing was where there is no entry."""

    kind: Literal["skeleton", "material", "texture"]
    name: str
    entry: str
    found: str
    material: str
    slot: str
    why: str


class ViewContent(BaseModel):
    scene: str
    notes: list[str] = []
    links: list[LinkOut] = []
    facts: FactsOut
    steps: list[StepRunOut]
    findings: list[FindingOut] | None
    pictures: list[str]
    conventions: str
    losses: dict[str, list[str]] = {}


class ViewOut(BaseModel):
    """`content` is null while `job` is still at it; findings and pictures arrive after the scene."""

    key: str
    content: ViewContent | None
    job: UUID | None

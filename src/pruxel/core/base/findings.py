"""The record of something noticed: evidence, weight, and the step that would mend it."""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any


class Severity(StrEnum):
    """How much a finding matters."""

    NOTE = "note"
    WARNING = "warning"
    PROBLEM = "problem"


@dataclass(frozen=True)
class Evidence:
    """One measured number (or word) behind a finding."""

    label: str
    value: float | int | str
    unit: str = ""


@dataclass(frozen=True)
class SuggestedStep:
    """The step, with its parameters, that would mend a finding."""

    step: str
    params: dict[str, Any]
    label: str


@dataclass(frozen=True)
class Finding:
    """Something noticed in a scene.

    `rule` is the name of the rule that noticed it, `parts` the names of the nodes it speaks of.
    """

    rule: str
    severity: Severity
    title: str
    detail: str
    parts: tuple[str, ...] = ()
    evidence: tuple[Evidence, ...] = ()
    suggestion: SuggestedStep | None = None
    where: dict[str, Any] = field(default_factory=dict)

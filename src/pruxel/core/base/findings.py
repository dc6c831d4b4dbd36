"""The record of something noticed: evidence, weight, and the step that would mend it."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any

_LONGEST = 240  # letters of names in a key


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

    @property
    def key(self) -> str:
        """What it is told by when somebody says that it is meant so: its rule, and the parts it speaks of."""
        names = "|".join(self.parts) or self.title
        return f"{self.rule}:{names if len(names) <= _LONGEST else hashlib.blake2b(names.encode()).hexdigest()[:32]}"


# Whether a finding is put aside: it is meant so.
Aside = Callable[[Finding], bool]


def none_aside(_found: Finding) -> bool:
    """Nothing is put aside."""
    return False

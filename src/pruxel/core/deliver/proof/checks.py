"""What a proof consists of."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum


class Outcome(StrEnum):
    """What a proof says: the file is as it should be, it is not, or nobody could look."""

    PROVEN = "proven"
    FAILED = "failed"
    NOT_MADE = "not made"


@dataclass(frozen=True)
class Tolerances:
    """How far a value read back may lie from the written one.

    `length` is relative to the diagonal of what is compared, angles in degrees, times in seconds.
    """

    length: float = 1e-4
    normal_deg: float = 1.0
    uv: float = 1e-4
    color: float = 1e-3
    weight: float = 0.01
    factor: float = 1e-3
    seconds: float = 1e-3


@dataclass(frozen=True)
class Check:
    """One comparison. `warning` marks what is worth telling and not wrong."""

    what: str
    written: str
    read: str
    passed: bool
    warning: bool = False


@dataclass(frozen=True)
class Proof:
    """All comparisons of one file by one reader; `not_made` says why there are none."""

    file: str
    reader: str
    checks: tuple[Check, ...]
    not_made: str = ""

    @property
    def outcome(self) -> Outcome:
        """Never proven when nobody looked."""
        if self.not_made or not self.checks:
            return Outcome.NOT_MADE
        return Outcome.PROVEN if all(check.passed for check in self.checks) else Outcome.FAILED


def worst(outcomes: list[Outcome]) -> Outcome:
    """One failure fails all; else one that was not made leaves all unproven."""
    order = (Outcome.FAILED, Outcome.NOT_MADE, Outcome.PROVEN)
    return next((outcome for outcome in order if outcome in outcomes), Outcome.NOT_MADE)

"""Findings that are meant so in a whole game: nobody needs to say it of each model again."""

from __future__ import annotations

from collections.abc import Sequence

from pydantic import Field

from pruxel.core.base.findings import Aside, Finding
from pruxel.core.binary.schema import Strict
from pruxel.core.knowledge.patterns import matches


class MeantSo(Strict):
    """Findings of one rule that are put aside: where all parts they speak of match, in models of matching paths."""

    finding: str = Field(min_length=1, max_length=80)
    parts: tuple[str, ...] = ()
    entries: tuple[str, ...] = ()
    about: str = ""


def meant_in(known: Sequence[MeantSo], entries: Sequence[str]) -> Aside:
    """What tells whether a finding in a model of these entries is meant so."""

    def meant(found: Finding) -> bool:
        return any(
            one.finding == found.rule
            and (not one.parts or (bool(found.parts) and all(matches(part, one.parts) for part in found.parts)))
            and (not one.entries or any(matches(path, one.entries) for path in entries))
            for one in known
        )

    return meant

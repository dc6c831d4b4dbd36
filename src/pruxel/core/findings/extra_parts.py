"""Coarser levels of detail and collision hulls standing among the visible parts."""

from __future__ import annotations

from collections.abc import Iterator

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence, Finding, Severity, SuggestedStep
from pruxel.core.findings.registry import rule
from pruxel.core.scene.measure import PartFacts, measure
from pruxel.core.scene.model import Scene


def _finding(kind: str, title: str, detail: str, extra: list[PartFacts], rest: int) -> Finding:
    names = tuple(part.name for part in extra)
    return Finding(
        rule="extra_parts",
        severity=Severity.WARNING,
        title=title,
        detail=detail,
        parts=names,
        evidence=(
            Evidence(kind, len(extra), "parts"),
            Evidence("their triangles", sum(part.triangles for part in extra)),
            Evidence("triangles of the rest", rest),
        ),
        suggestion=SuggestedStep(
            "show_parts",
            {"parts": list(names), "action": "drop"},
            f"Drop {len(extra)} part{'s' if len(extra) > 1 else ''}",
        ),
    )


@rule("extra_parts", "Parts that are not meant to be seen together")
def extra_parts(scene: Scene, context: Context) -> Iterator[Finding]:
    """The file itself marks these parts; they are shown beside the finest ones."""
    context.check()
    every = measure(scene).parts
    finest = [p for p in every if p.role == "visual" and p.detail == 0]
    if not finest:
        return
    triangles = sum(p.triangles for p in finest)
    coarse = [p for p in every if p.role == "visual" and p.detail > 0]
    hulls = [p for p in every if p.role == "collision"]
    if coarse:
        yield _finding(
            "coarser levels",
            "Several levels of detail stand in one place",
            "Coarser copies of the same thing are shown over the finest one.",
            coarse,
            triangles,
        )
    if hulls:
        yield _finding(
            "collision hulls",
            "A collision hull is among the visible parts",
            "The hull serves the game's physics and hides what it encloses.",
            hulls,
            triangles,
        )

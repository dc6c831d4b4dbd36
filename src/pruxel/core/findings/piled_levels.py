"""Levels of detail in one place that nothing tells apart."""

from __future__ import annotations

from collections.abc import Iterator

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence, Finding, Severity, SuggestedStep
from pruxel.core.findings.by_mesh import in_words
from pruxel.core.findings.registry import rule
from pruxel.core.scene.model import Scene
from pruxel.core.scene.piles import WITHIN, piles


@rule("piled_levels", "Coarser copies in the same place")
def piled_levels(scene: Scene, context: Context) -> Iterator[Finding]:
    """Compare parts of one material or name that fill the same box, by how far their surfaces lie apart."""
    found = piles(scene, context)
    if not found:
        return
    coarser = tuple(scene.nodes[index].name for pile in found for index in pile.nodes[1:])
    finest = tuple(scene.nodes[pile.nodes[0]].name for pile in found)
    levels = max(len(pile.nodes) for pile in found)
    said = f"{in_words(coarser)} {'has' if len(coarser) == 1 else 'have'}"
    yield Finding(
        rule="piled_levels",
        severity=Severity.WARNING,
        title="Several levels of detail stand in one place",
        detail=f"{said} the surface of {in_words(finest)}, only coarser; the file does not say so.",
        parts=coarser,
        evidence=(
            Evidence("coarser copies", len(coarser), "parts"),
            Evidence("levels", levels),
            Evidence("surfaces apart, of the size", float(f"{100 * max(pile.apart for pile in found):.3g}"), "%"),
            Evidence("copies are within", 100 * WITHIN, "%"),
        ),
        suggestion=SuggestedStep("tell_levels", {}, "Tell the levels apart"),
    )

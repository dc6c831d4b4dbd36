"""Models that stand far from the origin."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence, Finding, Severity, SuggestedStep
from pruxel.core.findings.registry import rule
from pruxel.core.scene.measure import length_words, measure
from pruxel.core.scene.model import Scene

_FAR = 5.0  # times the model's longest side


@rule("far_away", "Models that stand far from the origin")
def far_away(scene: Scene, context: Context) -> Iterator[Finding]:
    """Compare the way from the origin to the nearest corner of the bounds with the longest side."""
    context.check()
    facts = measure(scene)
    low, high = np.array(facts.minimum), np.array(facts.maximum)
    longest = float(max(facts.size))
    away = float(np.linalg.norm(np.maximum(np.maximum(low, -high), 0.0)))
    if longest <= 0 or away < _FAR * longest:
        return
    yield Finding(
        rule="far_away",
        severity=Severity.NOTE,
        title=f"The model stands {length_words(away)} from the origin",
        detail="Other programs open it out of sight, turn it about a point far away, and lose digits of its shape.",
        evidence=(
            Evidence("nearest point", float(f"{away:.4g}"), "m"),
            Evidence("longest side", float(f"{longest:.4g}"), "m"),
            Evidence("told from", _FAR, "sides"),
        ),
        suggestion=SuggestedStep("place_model", {"centre": True, "ground": True}, "Bring it to the origin"),
    )

"""Scenes too large or too small to be in metres."""

from __future__ import annotations

import math
from collections.abc import Iterator

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence, Finding, Severity, SuggestedStep
from pruxel.core.findings.registry import rule
from pruxel.core.scene.measure import length_words, measure
from pruxel.core.scene.model import Scene

_SMALLEST_M, _LARGEST_M = 0.005, 500.0
_LIKELY_M = 1.5
_FACTORS = (
    (0.0254, "inches"),
    (0.01, "centimetres"),
    (0.001, "millimetres"),
    (1e-4, "tenths of a millimetre"),
    (10.0, "decametres"),
    (100.0, "a unit of 100 m, or centimetres converted twice"),
    (1000.0, "kilometres, or millimetres converted twice"),
)


@rule("implausible_size", "A size that is implausible")
def implausible_size(scene: Scene, context: Context) -> Iterator[Finding]:
    """Compare the longest side with what things in games measure; suggest the unit that brings it nearest to them."""
    context.check()
    facts = measure(scene)
    longest = max(facts.size)
    if longest <= 0 or _SMALLEST_M <= longest <= _LARGEST_M:
        return
    factor, unit = min(_FACTORS, key=lambda f: abs(_octaves(longest * f[0])))
    yield Finding(
        rule="implausible_size",
        severity=Severity.WARNING,
        title=f"The model is {length_words(longest)} long",
        detail=f"Its numbers look like {unit}. Scaled by {factor:g} it would be {length_words(longest * factor)} long.",
        evidence=(
            Evidence("longest side", float(f"{longest:.4g}"), "m"),
            Evidence("plausible from", _SMALLEST_M, "m"),
            Evidence("plausible to", _LARGEST_M, "m"),
            Evidence("after the step", float(f"{longest * factor:.4g}"), "m"),
        ),
        suggestion=SuggestedStep("set_units", {"factor": factor}, f"Scale by {factor:g}"),
    )


def _octaves(length: float) -> float:
    """Distance from a likely length, in decades."""
    return abs(math.log10(length / _LIKELY_M))

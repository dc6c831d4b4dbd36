"""glTF before three.js's loader, and before the official validator."""

from __future__ import annotations

from pruxel.core.deliver.judges.registry import Exhibit, judge
from pruxel.core.deliver.proof.checks import Check
from pruxel.core.deliver.proof.expected_gltf import compare_gltf
from pruxel.core.deliver.proof.judge import read_back, validate

_MOST_TOLD = 3


@judge("gltf in three.js", "three.js")
def read_by_three(one: Exhibit) -> list[Check]:
    """Everything that the loader makes of the file."""
    return compare_gltf(one.scene, read_back(one.main, "gltf"), one.tolerances)


@judge("glTF validator", "glTF validator")
def read_by_validator(one: Exhibit) -> list[Check]:
    """The validator's errors and warnings."""
    issues = validate(one.main)
    checks = []
    for what, severity, count in (("errors", 0, issues["numErrors"]), ("warnings", 1, issues["numWarnings"])):
        told = [
            f"{m['message']} ({m.get('pointer', 'somewhere')})" for m in issues["messages"] if m["severity"] == severity
        ]
        words = "; ".join(told[:_MOST_TOLD]) + (f"; and {count - _MOST_TOLD:,} more" if count > _MOST_TOLD else "")
        passed = count == 0 or severity > 0
        checks.append(
            Check(what, "0", f"{count:,}: {words}" if count else "0", passed, warning=count > 0 and severity > 0)
        )
    return checks

"""One delivered file before its judges."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from pruxel.core.base.context import Context
from pruxel.core.deliver.proof.checks import Check, Proof, Tolerances
from pruxel.core.deliver.proof.expected_gltf import compare_gltf
from pruxel.core.deliver.proof.expected_obj import compare_obj
from pruxel.core.deliver.proof.judge import JudgeFailed, JudgeMissing, read_back, validate
from pruxel.core.scene.model import Scene

_READER, _VALIDATOR = "three.js", "glTF validator"
_MOST_TOLD = 3


def prove(main: Path, scene: Scene, format_name: str, context: Context, tolerances: Tolerances) -> list[Proof]:
    """Read a delivered main file back and compare it with the scene that was written.

    A reader that cannot read the file is a failed check; one that is not there is a proof that was not made.
    """
    context.progress(0.0, f"reading {main.name} back")
    is_gltf = format_name in {"glb", "gltf"}
    proofs = [_judged(main, _READER, lambda: _compared(main, scene, tolerances, is_gltf=is_gltf))]
    if is_gltf:
        context.progress(0.6, f"validating {main.name}")
        proofs.append(_judged(main, _VALIDATOR, lambda: _validated(main)))
    return proofs


def _judged(main: Path, reader: str, ask: Callable[[], list[Check]]) -> Proof:
    try:
        return Proof(main.name, reader, tuple(ask()))
    except JudgeMissing as missing:
        return Proof(main.name, reader, (), not_made=str(missing))
    except JudgeFailed as failed:
        return Proof(main.name, reader, (Check("the file opens", "yes", f"no: {failed}", passed=False),))


def _compared(main: Path, scene: Scene, tolerances: Tolerances, *, is_gltf: bool) -> list[Check]:
    if is_gltf:
        return compare_gltf(scene, read_back(main, "gltf"), tolerances)
    return compare_obj(scene, read_back(main, "obj"), main, tolerances)


def _validated(main: Path) -> list[Check]:
    issues = validate(main)
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

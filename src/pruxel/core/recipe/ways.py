"""How a step of one workpiece may be kept for others: by name, by what its parts are called or wear, by a finding."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

import pruxel.core.findings  # noqa: F401 - registers all rules
from pruxel.core.findings.registry import RULES
from pruxel.core.recipe.document import Rule, StepUse
from pruxel.core.recipe.rules import fits_pattern
from pruxel.core.scene.model import Scene
from pruxel.core.scene.walk import parts

_WORD = re.compile(r"[^\W_]+", re.UNICODE)
_MOST_WORDS = 40


@dataclass(frozen=True)
class Way:
    """One way of keeping a step: the rule and parameters it would have, and the same in words."""

    words: str
    params: dict[str, Any] = field(default_factory=dict)
    rule: Rule | None = None


def ways(scene: Scene, use: StepUse) -> tuple[Way, ...]:
    """The ways of keeping a step that stands before `scene`, those that fit most other workpieces first.

    A pattern is offered only where it means just what the step takes here.
    """
    found = list[Way]()
    reason = next((rule for rule in RULES if rule.name == use.because and rule.proposes), None)
    if reason is not None:
        found.append(Way(f"as this finding proposes: {reason.title}", {}, Rule(finding=use.because)))
    for name, every in (("parts", _part_names(scene)), ("materials", [m.name for m in scene.materials])):
        chosen = use.params.get(name)
        if isinstance(chosen, list | tuple) and chosen:
            found += _by_names(use, name, [str(one) for one in chosen], list(dict.fromkeys(every)), scene)
    return tuple(found)


def _by_names(use: StepUse, name: str, chosen: list[str], every: list[str], scene: Scene) -> Iterator[Way]:
    rest = {key: value for key, value in use.params.items() if key != name}
    if set(chosen) >= set(every):
        yield Way(f"all {name}", rest)
    for pattern in _patterns(chosen, [one for one in every if one not in chosen]):
        yield Way(f"{name} called {pattern}", rest, Rule(**{name: pattern}))
    worn = _only_they_wear(scene, set(chosen)) if name == "parts" else None
    if worn is not None:
        yield Way(f"parts that wear {worn}", rest, Rule(materials=worn))
    yield Way(f"just {'this name' if len(chosen) == 1 else f'these {len(chosen)} names'}", dict(use.params))


def _part_names(scene: Scene) -> list[str]:
    return [node.name for _, node, _ in parts(scene)]


def _patterns(chosen: list[str], others: list[str]) -> Iterator[str]:
    """Words that all chosen names have and no other has, at their end, their beginning, or anywhere."""
    words = list(dict.fromkeys(word.group().lower() for word in _WORD.finditer(chosen[0])))[:_MOST_WORDS]
    for word in sorted(words, key=lambda w: (w.isdigit(), -len(w))):
        for pattern in (f"*{word}", f"{word}*", f"*{word}*"):
            if all(fits_pattern(name, pattern) for name in chosen) and not any(
                fits_pattern(name, pattern) for name in others
            ):
                yield pattern
                return


def _only_they_wear(scene: Scene, chosen: set[str]) -> str | None:
    """A material that each of the chosen parts has, and no other part."""
    wearers: dict[str, set[str]] = {}
    for _, node, mesh in parts(scene):
        for p in mesh.primitives:
            if p.material is not None:
                wearers.setdefault(scene.materials[p.material].name, set()).add(node.name)
    return next((name for name, who in wearers.items() if who == chosen), None)

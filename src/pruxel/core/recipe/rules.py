"""Steps whose rule chooses, in each scene anew, what they take."""

from __future__ import annotations

import json
from collections.abc import Iterable
from typing import Any

import pruxel.core.findings  # noqa: F401 - registers all rules
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.findings import Aside, Finding, SuggestedStep, none_aside
from pruxel.core.findings.registry import RULES
from pruxel.core.knowledge.patterns import compile_patterns
from pruxel.core.recipe.document import Rule, StepUse
from pruxel.core.scene.model import Mesh, Scene
from pruxel.core.scene.walk import parts
from pruxel.core.steps.registry import STEPS, Library, Params, Step, StepResult

# Mending one thing may bring the next to light; this many times is enough for any rule there is.
_MOST_ROUNDS = 24


def fits_pattern(name: str, pattern: str) -> bool:
    """Whether a whole name is what the pattern means; a slash is a letter like any other."""
    return bool(compile_patterns((_flat(pattern),)).fullmatch(_flat(name)))


def perform(scene: Scene, use: StepUse, context: Context, library: Library, aside: Aside = none_aside) -> StepResult:
    """Run one step of a recipe as its rule says; one that follows a finding leaves what is put aside.

    Where nothing fits the rule the scene stays as it is, and the summary says so. Raises `UsageError` for a step or a
    finding that is not there, for parameters that are wrong, and for a rule that the step cannot follow.
    """
    found = STEPS.get(use.step)
    if use.rule is None:
        return found.perform(scene, found.parse(use.params), context, library)
    if use.rule.finding:
        return _as_proposed(scene, use, found, context, library, aside)
    chosen = _chosen(scene, use.rule, found)
    if not all(chosen.values()):
        return StepResult(scene, f"nothing here {_words(use.rule)}")
    return found.perform(scene, found.parse(use.params | chosen), context, library)


def check_rule(use: StepUse) -> None:
    """Raise `UsageError` where no scene would do: a step that is not there, wrong parameters, a rule that cannot be."""
    found = STEPS.get(use.step)
    if use.rule is not None and use.rule.finding:
        RULES.get(use.rule.finding)
        if use.params:
            raise UsageError(
                ErrorCode.USAGE, f"'{found.title}' follows a finding, which says with what", field="params",
                expected="no parameters beside a rule about a finding", found=", ".join(use.params)[:120],
            )  # fmt: skip
        return
    parsed(use)


def parsed(use: StepUse) -> Params | None:
    """The parameters of a step, any names standing where its rule chooses; None where a finding says all.

    Raises `UsageError` for a step that is not there, wrong parameters, and a rule that it cannot follow.
    """
    found = STEPS.get(use.step)
    if use.rule is not None and use.rule.finding:
        return None
    filled = {} if use.rule is None else dict.fromkeys(_takers(use.rule, found), ("any",))
    params: Params = found.parse(use.params | filled)
    return params


def _as_proposed(
    scene: Scene, use: StepUse, found: Step[Any], context: Context, library: Library, aside: Aside
) -> StepResult:
    """The step as often as the finding proposes it, each time with what it then names."""
    rule = RULES.get(use.rule.finding if use.rule else "")
    done = list[StepResult]()
    met = set[str]()
    for _ in range(_MOST_ROUNDS):
        context.check()
        open_ = (finding for finding in rule.look(scene, context) if not aside(finding))
        wanted = _proposal(open_, use.step, met)
        if wanted is None:
            break
        done.append(found.perform(scene, found.parse(wanted.params), context, library))
        scene = done[-1].scene
    if not done:
        return StepResult(scene, f"nothing to mend: {rule.title[:1].lower()}{rule.title[1:]} – not found here")
    renamed = {old: new for one in done for old, new in one.renamed.items()}
    return StepResult(
        scene,
        "; ".join(dict.fromkeys(one.summary for one in done)),
        tuple(evidence for one in done for evidence in one.measured),
        renamed,
        tuple(name for one in done for name in one.removed),
        tuple(note for one in done for note in one.notes),
    )


def _proposal(findings: Iterable[Finding], step: str, met: set[str]) -> SuggestedStep | None:
    """The first proposal of the step that was not followed yet. What was followed in vain is not followed again."""
    for finding in findings:
        wanted = finding.suggestion
        if wanted is None or wanted.step != step:
            continue
        key = json.dumps(wanted.params, sort_keys=True, default=str)
        if key not in met:
            met.add(key)
            return wanted
    return None


def _takers(rule: Rule, found: Step[Any]) -> tuple[str, ...]:
    """The parameters that the rule fills."""
    takes = [name for name in ("parts", "materials") if name in found.params.model_fields]
    said = [name for name in ("parts", "materials") if getattr(rule, name)]
    # Parts may be told by what they wear.
    wanted = ["parts" if name == "materials" and takes == ["parts"] else name for name in said]
    lacking = [name for name in wanted if name not in takes]
    if lacking:
        raise UsageError(
            ErrorCode.USAGE, f"'{found.title}' cannot follow this rule", field="rule",
            expected=f"a rule about its {' or '.join(takes)}" if takes else "no rule: it works on the whole",
            found=", ".join(lacking),
        )  # fmt: skip
    return tuple(dict.fromkeys(wanted))


def _chosen(scene: Scene, rule: Rule, found: Step[Any]) -> dict[str, list[str]]:
    """The names that the rule means in this scene, by parameter."""
    takers = _takers(rule, found)
    chosen: dict[str, list[str]] = {}
    if "materials" in takers:
        names = dict.fromkeys(material.name for material in scene.materials)
        chosen["materials"] = [name for name in names if fits_pattern(name, rule.materials)]
    if "parts" in takers:
        worn = rule.materials if "materials" not in takers else ""
        chosen["parts"] = list(
            dict.fromkeys(
                node.name
                for _, node, mesh in parts(scene)
                if (not rule.parts or fits_pattern(node.name, rule.parts))
                and (not worn or any(fits_pattern(name, worn) for name in _worn(scene, mesh)))
            )
        )
    return chosen


def _worn(scene: Scene, mesh: Mesh) -> set[str]:
    return {scene.materials[p.material].name for p in mesh.primitives if p.material is not None}


def _words(rule: Rule) -> str:
    said = [f"is called '{rule.parts}'"] if rule.parts else []
    return " and ".join([*said, f"has a material '{rule.materials}'"] if rule.materials else said)


def _flat(text: str) -> str:
    return text.replace("/", "\x1f")

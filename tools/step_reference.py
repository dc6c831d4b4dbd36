"""The list of `docs/steps.md`, made from what is registered: `python -m tools.step_reference` writes it."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import pruxel.core.findings
import pruxel.core.steps  # noqa: F401 - registers all steps
from pruxel.core.findings.registry import RULES
from pruxel.core.steps.registry import STEPS, Step

PAGE = Path(__file__).resolve().parent.parent / "docs" / "steps.md"
_STEPS = re.compile(r"(<!-- list: steps -->\n).*?(<!-- end -->)", re.DOTALL)
_RULES = re.compile(r"(<!-- list: findings -->\n).*?(<!-- end -->)", re.DOTALL)
_GROUPS = {
    "assemble": "Parts",
    "materials": "Materials",
    "uvs": "Texture coordinates",
    "geometry": "Geometry and place",
    "skin": "Joints and weights",
    "motion": "Clips and poses",
}


def _limits(schema: dict[str, Any]) -> str:
    """What may be given, in a word or two."""
    if "enum" in schema:
        return ", ".join(f"`{value}`" for value in schema["enum"])
    least = next((schema[key] for key in ("minimum", "exclusiveMinimum") if key in schema), None)
    most = next((schema[key] for key in ("maximum", "exclusiveMaximum") if key in schema), None)
    unit = f" {schema['unit']}" if "unit" in schema else ""
    return f"{least:g} to {most:g}{unit}" if least is not None and most is not None else ""


def _step(step: Step[Any]) -> str:
    lines = [f"### {step.title} (`{step.name}`)\n\n{step.about}\n"]
    for name, schema in step.params.model_json_schema()["properties"].items():
        words = [schema.get("description", ""), _limits(schema)]
        start = f" (`{schema['default']}`)" if schema.get("default") not in (None, [], "") else ""
        lines.append(f"\n- `{name}`{start}: " + "; ".join(word for word in words if word))
    return "".join(lines) + "\n"


def with_lists(text: str) -> str:
    """The page with its lists as they should be."""
    made = []
    for group, title in _GROUPS.items():
        made.append(f"## {title}\n\n" + "\n".join(_step(one) for one in STEPS if one.group == group))
    text = _STEPS.sub(lambda found: found[1] + "\n".join(made) + found[2], text)
    rules = "".join(f"- `{rule.name}`: {rule.title}\n" for rule in RULES)
    return _RULES.sub(lambda found: found[1] + rules + found[2], text)


if __name__ == "__main__":
    PAGE.write_text(with_lists(PAGE.read_text()))

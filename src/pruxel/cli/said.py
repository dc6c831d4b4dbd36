"""Steps as they are said on a command line."""

from __future__ import annotations

import json
import shlex
from collections.abc import Iterator
from typing import Any

from pydantic import ValidationError

from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.recipe.document import Rule, StepUse


def said(text: str) -> StepUse:
    """`weld_vertices distance=0.001 parts=["hull", "left claw"]`: values are JSON where they can be, else text.

    Quotes and brackets hold spaces. `where.parts`, `where.materials` and `where.finding` make the step's rule.
    """
    name, *words = list(_words(text)) or [""]
    params: dict[str, Any] = {}
    rule: dict[str, str] = {}
    for word in words:
        field, equals, value = word.partition("=")
        if not equals:
            raise UsageError(ErrorCode.USAGE, "a parameter is given as NAME=VALUE", field=name, found=word)
        if field.startswith("where."):
            rule[field.removeprefix("where.")] = _bare(value)
        else:
            params[field] = _value(value)
    try:
        return StepUse(step=name, params=params, rule=Rule.model_validate(rule) if rule else None)
    except ValidationError as error:
        raise UsageError(
            ErrorCode.USAGE, "a rule has patterns, or the name of a finding", field=name,
            expected="where.parts=…, where.materials=… or where.finding=…", found=" ".join(rule),
        ) from error  # fmt: skip


def _words(text: str) -> Iterator[str]:
    """Split at spaces that neither quotes nor brackets hold. Quotes stay: they may be JSON's."""
    word, depth, quote = "", 0, ""
    for char in text:
        if quote:
            quote = "" if char == quote and not word.endswith("\\") else quote
        elif char in "'\"":
            quote = char
        elif char in "[{":
            depth += 1
        elif char in "]}":
            depth -= 1
        elif char.isspace() and depth <= 0:
            if word:
                yield word
            word = ""
            continue
        word += char
    if quote or depth > 0:
        raise UsageError(
            ErrorCode.USAGE, "a step is its name and its parameters", expected="quotes and brackets that end",
            found=text, hint="Put a value that has one of them by itself in quotes: name=\"captain's hat\"",
        )  # fmt: skip
    if word:
        yield word


def _value(text: str) -> Any:  # noqa: ANN401 - any JSON
    try:
        return json.loads(text)
    except ValueError:
        return _bare(text)


def _bare(text: str) -> str:
    """Without the quotes that held it together."""
    return " ".join(shlex.split(text))

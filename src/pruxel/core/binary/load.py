"""Load a layout from YAML text."""

from __future__ import annotations

from pydantic import ValidationError

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.binary.schema import Layout
from pruxel.core.binary.yaml_text import parse_yaml


def validation_words(error: ValidationError) -> tuple[str, str]:
    """The place and the words of the first thing that Pydantic found wrong."""
    first = error.errors()[0]
    return ".".join(str(step) for step in first["loc"]), str(first["msg"]).removeprefix("Value error, ")


def load_layout(text: str, name: str) -> Layout:
    """Build a layout from YAML text; raises `InputError` that names the place."""
    try:
        return Layout.model_validate(parse_yaml(text, name))
    except ValidationError as error:
        place, words = validation_words(error)
        raise InputError(
            ErrorCode.LAYOUT,
            f"the layout does not hold together: {words}",
            file=name,
            field=place,
            hint="docs/layouts.md lists what each key may say.",
        ) from error

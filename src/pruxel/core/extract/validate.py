"""Turn a layout's `extract` section into its typed form."""

from __future__ import annotations

from typing import TypeVar

from pydantic import BaseModel, ValidationError

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.binary.load import validation_words
from pruxel.core.binary.schema import Layout

M = TypeVar("M", bound=BaseModel)


def extract_spec(layout: Layout, model: type[M]) -> M:
    """Validate; raises `InputError` that names the key."""
    try:
        return model.model_validate(layout.extract)
    except ValidationError as error:
        place, words = validation_words(error)
        raise InputError(
            ErrorCode.LAYOUT,
            f"'extract' does not describe a {layout.reads}: {words}",
            file=layout.layout,
            field=place,
        ) from error

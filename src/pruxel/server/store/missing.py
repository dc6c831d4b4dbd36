"""What is asked for by a number or name and is not there."""

from __future__ import annotations

from pruxel.core.base.errors import ErrorCode, InputError


def not_found(what: str) -> InputError:
    """The error for something that is gone."""
    return InputError(
        ErrorCode.NOT_FOUND, f"there is no such {what}", hint="It may have been removed; reload the page."
    )

"""Strings in files."""

from __future__ import annotations

from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.binary.schema import FieldSpec

_ZERO_PADDED = "\0"


def read_text(data: memoryview, spec: FieldSpec, name: str, at: int, field: str) -> str:
    """Decode a string, cut at its first zero; raises `InputError` when the bytes do not fit the encoding."""
    raw = bytes(data)
    try:
        return raw.decode(spec.encoding).split(_ZERO_PADDED, 1)[0]
    except UnicodeDecodeError as error:
        raise InputError(
            ErrorCode.MALFORMED,
            f"a text is not {spec.encoding}",
            file=name,
            offset=at,
            field=field,
            expected=f"{spec.encoding} text",
            found=f"bytes {raw[error.start : error.start + 8].hex(' ')}",
            hint="Name another 'encoding' in the layout.",
        ) from error

"""What a request may hold, said once: the schema tells it, and what is beyond is refused with words."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import Path
from pydantic import AfterValidator, Field

_DEEPEST, _MOST_VALUES, _LONGEST = 16, 20_000, 100_000
# A number as the database has it.
LARGEST = (1 << 63) - 1
EntryId = Annotated[int, Path(ge=0, le=LARGEST)]
# A word of the address: the key of something stored, a kind.
Word = Annotated[str, Field(max_length=200)]
# A path of an entry or of a file on this machine.
PathText = Annotated[str, Field(max_length=4096)]
# The same in a body.
EntryNumber = Annotated[int, Field(ge=0, le=LARGEST)]
# A number of bytes in an entry.
Offset = Annotated[int, Field(ge=0, le=LARGEST)]


def _shallow(value: dict[str, Any]) -> dict[str, Any]:
    """A JSON value that can be stored and told again: neither deep nor large, and without characters of none."""
    waiting: list[tuple[Any, int]] = [(value, 1)]
    met = 0
    while waiting:
        one, depth = waiting.pop()
        met += 1
        if depth > _DEEPEST or met > _MOST_VALUES:
            message = f"at most {_DEEPEST} levels and {_MOST_VALUES:,} values"
            raise ValueError(message)
        if isinstance(one, str) and (len(one) > _LONGEST or "\0" in one or (not one.isascii() and not _is_text(one))):
            message = f"texts of at most {_LONGEST:,} characters, without NUL"
            raise ValueError(message)
        if isinstance(one, int) and abs(one) > 1 << 64:
            message = "numbers of at most 64 bits"
            raise ValueError(message)
        if isinstance(one, dict):
            waiting += [(part, depth + 1) for pair in one.items() for part in pair]
        elif isinstance(one, list):
            waiting += [(part, depth + 1) for part in one]
    return value


def _is_text(text: str) -> bool:
    try:
        text.encode()
    except UnicodeEncodeError:
        return False
    return True


Plain = Annotated[
    dict[str, Any],
    AfterValidator(_shallow),
    Field(description=f"plain values, at most {_DEEPEST} levels deep and {_MOST_VALUES:,} in all"),
]


def gives(*media: str) -> dict[int | str, dict[str, Any]]:
    """The documented content types of a successful answer that is no JSON."""
    return {200: {"content": {one: {} for one in media}}}

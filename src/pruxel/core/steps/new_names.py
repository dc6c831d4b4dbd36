"""New names from old ones: text replaced, then a pattern; what renaming parts and renaming materials share."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from pruxel.core.base.errors import ErrorCode, UsageError


def new_name(old: str, find: str, put: str, pattern: str, values: Mapping[str, str]) -> str:
    """The pattern with `{name}` and the other placeholders filled in; raises `UsageError` when nothing is left."""
    made = pattern.replace("{name}", old.replace(find, put) if find else old)
    for placeholder, value in values.items():
        made = made.replace(f"{{{placeholder}}}", value)
    if not made.strip():
        raise UsageError(
            ErrorCode.USAGE, f"“{old}” would have no name", field="put", expected="at least one letter",
            found=repr(made),
        )  # fmt: skip
    return made


def renumbered(old: Sequence[str], find: str, put: str, pattern: str) -> list[str]:
    """A new name for each, `{number}` its place in the row; raises `UsageError` as `new_name` does."""
    return [
        new_name(name, find, put, pattern, {"number": numbered(number, len(old))}) for number, name in enumerate(old, 1)
    ]


def numbered(number: int, count: int) -> str:
    """A number with as many digits as the last of them has."""
    return f"{number:0{len(str(count))}}"

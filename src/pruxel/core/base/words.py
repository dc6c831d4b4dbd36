"""Numbers of things, as one says them."""

from __future__ import annotations


def counted(number: int, one: str, many: str = "") -> str:
    """`1 part`, `2 parts`, `1,200 vertices`: `many` where it is not `one` with an s."""
    return f"{number:,} {one if number == 1 else many or one + 's'}"

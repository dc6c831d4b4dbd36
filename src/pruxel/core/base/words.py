"""Numbers of things, as one says them."""

from __future__ import annotations

from collections.abc import Sequence


def counted(number: int, one: str, many: str = "") -> str:
    """`1 part`, `2 parts`, `1,200 vertices`: `many` where it is not `one` with an s."""
    return f"{number:,} {one if number == 1 else many or one + 's'}"


def some(names: Sequence[str], most: int = 6) -> str:
    """The first few of names, and whether there are more: `hip, knee …`."""
    return ", ".join(names[:most]) + (" …" if len(names) > most else "")

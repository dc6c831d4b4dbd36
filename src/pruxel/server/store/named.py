"""Names that people give: two things of one kind in a project are told apart by theirs."""

from __future__ import annotations

from collections.abc import Collection
from itertools import chain, count

MOST_LETTERS = 200


def name_apart(name: str, taken: Collection[str]) -> str:
    """The name, or where it is taken the same with the first free number from 2 behind it; cut to MOST_LETTERS."""
    ends = chain([""], (f" {number}" for number in count(2)))
    return next(one for end in ends if (one := name[: MOST_LETTERS - len(end)] + end) not in taken)

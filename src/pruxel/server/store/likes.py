"""Text of people and files as a LIKE pattern that means just itself."""

from __future__ import annotations

import re


def escaped(words: str) -> str:
    """`%`, `_` and the backslash lose their meaning in LIKE."""
    return re.sub(r"([\\%_])", r"\\\1", words)

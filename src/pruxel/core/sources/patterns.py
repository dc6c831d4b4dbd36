"""Patterns of paths: `*` within a part, `**` over parts, `?` one character. Letter case does not matter."""

from __future__ import annotations

import re
from collections.abc import Iterable
from functools import lru_cache


def pattern_regex(pattern: str) -> str:
    """The pattern as a regular expression; `**/` also means no folder at all."""
    out, at = "", 0
    while at < len(pattern):
        if pattern.startswith("**/", at):
            out, at = f"{out}(?:.*/)?", at + 3
        elif pattern.startswith("**", at):
            out, at = f"{out}.*", at + 2
        elif pattern[at] == "*":
            out, at = f"{out}[^/]*", at + 1
        elif pattern[at] == "?":
            out, at = f"{out}[^/]", at + 1
        else:
            out, at = out + re.escape(pattern[at]), at + 1
    return out


@lru_cache(maxsize=1024)
def compile_patterns(patterns: tuple[str, ...]) -> re.Pattern[str]:
    """One expression that fully matches a path that any of the patterns means; none matches nothing."""
    return re.compile("|".join(f"(?:{pattern_regex(p)})" for p in patterns) or r"(?!)", re.IGNORECASE)


def matches(path: str, patterns: Iterable[str]) -> bool:
    """Whether any of the patterns means this path; one without a slash is held against the last part too."""
    wanted = tuple(patterns)
    compiled = compile_patterns(wanted)
    if compiled.fullmatch(path):
        return True
    plain = tuple(p for p in wanted if "/" not in p)
    return bool(plain) and bool(compile_patterns(plain).fullmatch(path.rsplit("/", 1)[-1]))

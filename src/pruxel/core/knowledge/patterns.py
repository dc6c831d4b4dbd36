"""Patterns of paths: `*` within a part, `**` over parts, `?` one character. Letter case does not matter.

`**/` at the start of a part also means no folder at all.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from functools import lru_cache


def pattern_regex(pattern: str) -> str:
    """The pattern as a regular expression for PostgreSQL, which does not try ways one by one."""
    return "".join(_PLAIN_FORMS.get(piece) or re.escape(piece) for piece in _pieces(pattern))


def _linear_regex(pattern: str) -> str:
    """The same for Python, whose expressions try every way of sharing a path among the stars.

    They need not: between two `**` the first place that fits leaves the most room for what follows, and so does, within
    a part, the first place after a `*`. Each is held to it by an atomic group; only what comes last is sought from the
    end. A path is walked over once for each piece of the pattern, not once for each way.
    """
    out: list[str] = []
    chunks: list[list[str]] = [[]]
    for piece in _pieces(pattern):
        if piece in _OVER_PARTS:
            chunks.append([])
            out.append(piece)
        else:
            chunks[-1].append(piece)
    whole = _chunk(chunks[0], last=len(chunks) == 1)
    for number, (over, chunk) in enumerate(zip(out, chunks[1:], strict=True), start=1):
        last = number == len(chunks) - 1
        inner = _chunk(chunk, last=last)
        if last:
            whole += f"{'(?:.*/)?' if over == '**/' else '.*'}{inner}"
        else:
            whole += f"(?>{'(?:.*?/)??' if over == '**/' else '.*?'}{inner})"
    return whole


def _chunk(pieces: list[str], *, last: bool) -> str:
    """What stands between two `**`: texts joined by single stars."""
    texts = [""]
    for piece in pieces:
        if piece == "*":
            texts.append("")
        else:
            texts[-1] += "[^/]" if piece == "?" else re.escape(piece)
    whole = texts[0]
    for number, text in enumerate(texts[1:], start=1):
        sought_from_end = last and number == len(texts) - 1
        whole += f"[^/]*{text}" if sought_from_end else f"(?>[^/]*?{text})"
    return whole


_OVER_PARTS = ("**/", "**")
_PLAIN_FORMS = {"**/": "(?:.*/)?", "**": ".*", "*": "[^/]*", "?": "[^/]"}
_PIECE = re.compile(r"(?<![^/])\*\*+/|\*\*+|\*|\?|[^*?]+")


def _pieces(pattern: str) -> list[str]:
    """Stars, question marks and the texts between them; three stars and more mean what two mean."""
    return [re.sub(r"^\*{3,}", "**", piece) for piece in _PIECE.findall(pattern)]


@lru_cache(maxsize=1024)
def compile_patterns(patterns: tuple[str, ...]) -> re.Pattern[str]:
    """One expression that fully matches a path that any of the patterns means; none matches nothing."""
    return re.compile("|".join(f"(?:{_linear_regex(p)})" for p in patterns) or r"(?!)", re.IGNORECASE)


def matches(path: str, patterns: Iterable[str]) -> bool:
    """Whether any of the patterns means this path; one without a slash is held against the last part too."""
    wanted = tuple(patterns)
    compiled = compile_patterns(wanted)
    if compiled.fullmatch(path):
        return True
    plain = tuple(p for p in wanted if "/" not in p)
    return bool(plain) and bool(compile_patterns(plain).fullmatch(path.rsplit("/", 1)[-1]))

"""The meaning of path patterns, said plainly: which rest of a pattern may stand before which rest of a path."""

from __future__ import annotations

from functools import cache


def means(pattern: str, path: str) -> bool:
    """Whether a pattern means a path, letter case aside."""
    pattern, path = pattern.lower(), path.lower()

    @cache
    def rest(p: int, t: int) -> bool:
        if p == len(pattern):
            return t == len(path)
        if pattern.startswith("**", p):
            after = p + 2
            while after < len(pattern) and pattern[after] == "*":
                after += 1
            begins_part = p == 0 or pattern[p - 1] == "/"
            if begins_part and after < len(pattern) and pattern[after] == "/":
                starts = [t, *(n + 1 for n in range(t, len(path)) if path[n] == "/")]
                return any(rest(after + 1, start) for start in starts)
            return any(rest(after, n) for n in range(t, len(path) + 1))
        if pattern[p] == "*":
            stop = next((n for n in range(t, len(path)) if path[n] == "/"), len(path))
            return any(rest(p + 1, n) for n in range(t, stop + 1))
        return (
            t < len(path) and (path[t] == pattern[p] or (pattern[p] == "?" and path[t] != "/")) and rest(p + 1, t + 1)
        )

    return rest(0, 0)

"""Find the entry that a file means by a name."""

from __future__ import annotations

import difflib
from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Literal

How = Literal["", "by its path", "beside what names it", "by its name alone"]
# In the order of the candidates below.
PLACES: tuple[How, How] = ("by its path", "beside what names it")


@dataclass(frozen=True)
class Resolution:
    """The path a name leads to and how it was found, or near names when it leads nowhere."""

    path: str | None
    near: tuple[str, ...] = ()
    how: How = ""


def candidate_paths(name: str, beside: str) -> tuple[str, str]:
    """Where a name is looked for first, in lower case: as a full path, then beside the entry that names it."""
    wanted = name.replace("\\", "/").lstrip("./").lower()
    folder = beside.rsplit("/", 1)[0].lower() if "/" in beside else ""
    return wanted, _join(folder, name.replace("\\", "/").lower())


@dataclass
class Shelf:
    """An index of paths without regard to letter case."""

    paths: Iterable[str]
    _by_path: dict[str, str] = field(default_factory=dict)
    _by_name: dict[str, list[str]] = field(default_factory=lambda: defaultdict(list))

    def __post_init__(self) -> None:
        for path in self.paths:
            self._by_path[path.lower()] = path
            self._by_name[path.rsplit("/", 1)[-1].lower()].append(path)

    def resolve(self, name: str, beside: str) -> Resolution:
        """Look for `name` as a full path, then beside the entry that names it, then by file name if only one has it."""
        candidates = candidate_paths(name, beside)
        for candidate, how in zip(candidates, PLACES, strict=True):
            if candidate in self._by_path:
                return Resolution(self._by_path[candidate], how=how)
        last = candidates[0].rsplit("/", 1)[-1]
        same = self._by_name.get(last, [])
        if len(same) == 1:
            return Resolution(same[0], how="by its name alone")
        if same:
            return Resolution(None, tuple(sorted(same)[:5]))
        near = difflib.get_close_matches(last, list(self._by_name), n=4, cutoff=0.6)
        return Resolution(None, tuple(sorted(path for item in near for path in self._by_name[item])[:5]))


def _join(folder: str, name: str) -> str:
    steps: list[str] = folder.split("/") if folder else []
    for step in name.split("/"):
        if step == ".." and steps:
            steps.pop()
        elif step not in {"", ".", ".."}:
            steps.append(step)
    return "/".join(steps)

"""Which profile fits a folder: looked at its files' first bytes, versions and tables, each reason told."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass
from itertools import islice
from pathlib import Path

from pruxel.core.base.context import Context
from pruxel.core.disk.below import First, first_bytes, walk_files
from pruxel.core.knowledge.kinds import layouts_for
from pruxel.core.knowledge.patterns import matches
from pruxel.core.knowledge.profile import Profile

_MOST_FILES = 5000


@dataclass(frozen=True)
class Fit:
    """How well a profile fits: `score` counts reasons, `version` is the game's version where it is recognised."""

    profile: Profile
    score: int
    reasons: tuple[str, ...]
    version: str | None = None


def detect(folder: Path, profiles: Iterable[Profile], context: Context) -> list[Fit]:
    """The profiles that fit a folder, best first; those that nothing speaks for are left out."""
    files = []
    for relative, path in islice(walk_files(folder), _MOST_FILES):
        context.check()
        files.append((relative, path, first_bytes(path)))
    fits = [_fit(profile, files) for profile in profiles]
    return sorted((fit for fit in fits if fit.score), key=lambda f: -f.score)


def _fit(profile: Profile, files: list[tuple[str, Path, First]]) -> Fit:
    reasons: list[str] = []
    score = 0
    seen: Counter[str] = Counter()
    for relative, _, first in files:
        for layout in layouts_for(*first, relative, profile.layouts)[:1]:
            if layout.match.marks():
                seen[layout.title or layout.layout] += 1
    for title, number in seen.most_common():
        reasons.append(f"{number:,} {'file starts' if number == 1 else 'files start'} as its layout '{title}' says")
        score += 3
    version = None
    for wanted in profile.spec.versions:
        for relative, path, _ in files:
            if matches(relative, (wanted.file,)) and _holds(path, wanted.contains):
                says = f" and says '{wanted.contains}'" if wanted.contains else ""
                reasons.append(f"{relative} is there{says}: version {wanted.name}")
                version, score = wanted.name, score + 2
                break
        if version is not None:
            break
    for number, layer in enumerate(profile.spec.layers):
        hit = next((relative for relative, _, _ in files if layer.match and matches(relative, layer.match)), None)
        if hit is not None and number < 8:
            reasons.append(f"{hit} is its layer '{layer.name}'")
            score += 1
    return Fit(profile, score, tuple(reasons), version)


def _holds(path: Path, text: str | None) -> bool:
    if text is None:
        return True
    try:
        with path.open("rb") as handle:
            return text.encode() in handle.read(1 << 16)
    except OSError:
        return False

"""What differs between two stacks, by content."""

from __future__ import annotations

import hashlib
from collections import defaultdict
from dataclasses import dataclass

from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.sources.stack import Stack


@dataclass(frozen=True)
class Moved:
    """One content under another path."""

    old: str
    new: str


@dataclass(frozen=True)
class Difference:
    """Paths added, removed, changed in content, and moved; `unreadable` could not be compared."""

    added: tuple[str, ...]
    removed: tuple[str, ...]
    changed: tuple[str, ...]
    moved: tuple[Moved, ...]
    same: int
    unreadable: tuple[str, ...]


def compare(old: Stack, new: Stack, context: Context) -> Difference:
    """Compare two merged views. Only contents of equal size are read."""
    unreadable: list[str] = []

    def content(stack: Stack, path: str) -> str | None:
        try:
            return hashlib.blake2b(stack.read(path, context), digest_size=16).hexdigest()
        except InputError:
            unreadable.append(path)
            return None

    both = sorted(old.entries.keys() & new.entries.keys())
    changed = []
    for path, _ in context.part(0.0, 0.7).each(both, lambda p: p):
        if old.entries[path].size != new.entries[path].size or content(old, path) != content(new, path):
            changed.append(path)
    gone = sorted(old.entries.keys() - new.entries.keys())
    come = sorted(new.entries.keys() - old.entries.keys())
    sizes = {new.entries[path].size for path in come}
    by_content: dict[str | None, list[str]] = defaultdict(list)
    for path in gone:
        if old.entries[path].size in sizes:
            by_content[content(old, path)].append(path)
    moved = []
    sizes_gone = {old.entries[path].size for path in gone}
    for path, _ in context.part(0.7, 1.0).each(come, lambda p: p):
        if new.entries[path].size in sizes_gone:
            found = content(new, path)
            if found is not None and by_content[found]:
                moved.append(Moved(by_content[found].pop(0), path))
    away, there = {m.old for m in moved}, {m.new for m in moved}
    return Difference(
        tuple(p for p in come if p not in there),
        tuple(p for p in gone if p not in away),
        tuple(changed),
        tuple(moved),
        len(both) - len(changed),
        tuple(sorted(set(unreadable))),
    )

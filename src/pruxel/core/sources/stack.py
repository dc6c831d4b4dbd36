"""The stack: sources in order, one merged view of paths. Later sources win; shadowed entries stay reachable."""

from __future__ import annotations

import logging
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Protocol

from pruxel.core.base.context import Context
from pruxel.core.base.errors import CancelledError, Fault, InputError, unforeseen
from pruxel.core.knowledge.kinds import Kind
from pruxel.core.knowledge.profile import Profile
from pruxel.core.sources.base import Listed, Source, not_found, problems_of
from pruxel.core.sources.references import Resolution, Shelf

log = logging.getLogger("pruxel.sources")


@dataclass(frozen=True)
class StackEntry:
    """One path of the merged view: the winner, and the labels of the sources it shadows."""

    path: str
    kind: Kind
    size: int
    source: str
    shadowed: tuple[str, ...] = ()


class MergedView(Protocol):
    """What opening entries needs of a stack, whether it is held in memory or in a database."""

    @property
    def profile(self) -> Profile:
        """The profile the sources were opened with."""

    def kind_of(self, path: str) -> Kind | None:
        """The kind of the winning entry, None when there is no such path."""

    def read(self, path: str, context: Context) -> memoryview:
        """The winning entry's bytes; raises `InputError`."""

    def resolve(self, name: str, beside: str) -> Resolution:
        """The entry that a file at `beside` means by `name`."""

    def resolve_all(self, names: Sequence[str], beside: str) -> list[Resolution]:
        """The same for many names, at one go."""

    def near(self, path: str, kind: Kind, most: int) -> list[str]:
        """Entries of a kind in the folder of a path, then below the folders above it, nearest first."""


@dataclass
class Stack:
    """Sources, lowest first, all listed in memory."""

    sources: Sequence[Source]
    profile: Profile = field(default_factory=Profile)
    entries: dict[str, StackEntry] = field(default_factory=dict)
    problems: list[Fault] = field(default_factory=list)
    _holders: dict[str, Source] = field(default_factory=dict)

    def kind_of(self, path: str) -> Kind | None:
        """The kind of the winning entry."""
        found = self.entries.get(path)
        return None if found is None else found.kind

    def read(self, path: str, context: Context) -> memoryview:
        """The winning entry's bytes; raises `InputError`."""
        holder = self._holders.get(path)
        if holder is None:
            raise not_found(path, "these sources")
        return holder.read(path, context)

    @cached_property
    def _shelf(self) -> Shelf:
        return Shelf(self.entries)

    def resolve(self, name: str, beside: str) -> Resolution:
        """The entry that a file at `beside` means by `name`."""
        return self._shelf.resolve(name, beside)

    def resolve_all(self, names: Sequence[str], beside: str) -> list[Resolution]:
        """The same for many names."""
        return [self.resolve(name, beside) for name in names]

    def near(self, path: str, kind: Kind, most: int) -> list[str]:
        """Entries of a kind in the folder of a path, then below the folders above it, nearest first."""
        listed = sorted(other for other, entry in self.entries.items() if entry.kind is kind)
        found: dict[str, None] = {}
        folder = path
        while folder and len(found) < most:
            folder = folder.rpartition("/")[0]
            found |= dict.fromkeys(other for other in listed if not folder or other.startswith(f"{folder}/"))
        return list(found)[:most]

    def add(self, source: Source, found: Iterable[Listed]) -> None:
        """Lay a source's entries over what is there."""
        for item in found:
            below = self.entries.get(item.path)
            shadowed = () if below is None else (below.source, *below.shadowed)
            self.entries[item.path] = StackEntry(item.path, item.kind, item.size, source.label, shadowed)
            self._holders[item.path] = source


def build_stack(sources: Sequence[Source], profile: Profile, context: Context) -> Stack:
    """List every source and merge; a source that cannot be read becomes a problem, the others go on."""
    stack = Stack(sources, profile)
    for source, part in context.each(sources, lambda s: s.label):
        try:
            listing = source.listing(part)
            stack.problems.extend(problems_of(source, listing))
            stack.add(source, listing.entries)
        except InputError as error:
            stack.problems.append(error.fault)
        except CancelledError:
            raise
        except Exception as error:
            log.exception("listing %s failed", source.label)
            stack.problems.append(unforeseen(error, source.label).fault)
    return stack

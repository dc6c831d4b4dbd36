"""The stack: sources in order, one merged view of paths. Later sources win; shadowed entries stay reachable."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from pathlib import Path

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, Fault, InputError
from pruxel.core.sources.base import Listed, Source, not_found
from pruxel.core.sources.folder import FileSource, FolderSource
from pruxel.core.sources.kinds import HEAD_BYTES, Kind, classify, layout_for
from pruxel.core.sources.packs import PackSource
from pruxel.core.sources.profile import Profile
from pruxel.core.sources.zips import ZipSource


@dataclass(frozen=True)
class StackEntry:
    """One path of the merged view: the winner, and the labels of the sources it shadows."""

    path: str
    kind: Kind
    size: int
    source: str
    shadowed: tuple[str, ...] = ()


@dataclass
class Stack:
    """Sources, lowest first."""

    sources: Sequence[Source]
    profile: Profile = field(default_factory=Profile)
    entries: dict[str, StackEntry] = field(default_factory=dict)
    problems: list[Fault] = field(default_factory=list)
    _holders: dict[str, Source] = field(default_factory=dict)

    def read(self, path: str, context: Context) -> memoryview:
        """The winning entry's bytes; raises `InputError`."""
        holder = self._holders.get(path)
        if holder is None:
            raise not_found(path, "these sources")
        return holder.read(path, context)

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
        except InputError as error:
            stack.problems.append(error.fault)
            continue
        stack.problems.extend(listing.problems)
        stack.add(source, listing.entries)
    return stack


def open_sources(path: Path, profile: Profile) -> list[Source]:
    """The sources that a path stands for, lowest first: packs of a folder below its loose files."""
    if path.is_dir():
        loose = FolderSource(path, profile.layouts, profile.leaves_out)
        packs = (open_pack(pack, profile) for pack in loose.packs())
        return [*(pack for pack in packs if pack is not None), loose]
    if not path.is_file():
        raise InputError(ErrorCode.NOT_FOUND, "there is no such file or folder", file=str(path), hint="Check the path.")
    pack = open_pack(path, profile)
    return [pack if pack is not None else FileSource(path, profile.layouts)]


def open_pack(path: Path, profile: Profile) -> Source | None:
    """A pack by its first bytes, or None when the file is none."""
    with path.open("rb") as handle:
        head = handle.read(HEAD_BYTES)
    if classify(head, path.name, profile.layouts) is not Kind.PACK:
        return None
    layout = layout_for(head, path.name, profile.layouts)
    if layout is not None:
        return PackSource(path, layout, profile.layouts)
    return ZipSource(path, profile.layouts)

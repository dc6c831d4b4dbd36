"""A folder on disk, and a single file as a source of one entry."""

from __future__ import annotations

import os
from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import cache
from pathlib import Path

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, Fault, InputError
from pruxel.core.sources import singles
from pruxel.core.sources.base import Listed, Listing, not_found
from pruxel.core.sources.files import map_file
from pruxel.core.sources.kinds import HEAD_BYTES, Kind, classify, layouts_for
from pruxel.core.sources.knowledge import Knowledge

# How far a single file's companions are looked for.
_COMPANION_DEPTH, _MOST_COMPANIONS = 2, 4000


def walk_files(root: Path) -> Iterator[tuple[str, Path]]:
    """Relative path and place of every file; links that lead out of the root are left alone."""
    base = root.resolve()
    for folder, folders, names in os.walk(base):
        folders.sort()
        for name in sorted(names):
            path = Path(folder) / name
            if path.is_file() and path.resolve().is_relative_to(base):
                yield path.relative_to(base).as_posix(), path


def first_bytes(path: Path) -> bytes:
    """As many bytes as recognising a format takes; none where the file cannot be read."""
    try:
        with path.open("rb") as handle:
            return handle.read(HEAD_BYTES)
    except OSError:
        return b""


@dataclass
class FolderSource:
    """Loose files below a root."""

    root: Path
    knowledge: Knowledge = field(default_factory=Knowledge)
    kind: str = "folder"

    @property
    def label(self) -> str:
        """The folder's name."""
        return self.root.name or str(self.root)

    def listing(self, context: Context) -> Listing:
        """Every file but packs, which are sources of their own; of a single compressed file also what is inside."""
        found: list[Listed] = []
        problems: list[Fault] = []
        beside = cache(singles.neighbours)
        for relative, path in walk_files(self.root):
            if len(found) % 1024 == 0:
                context.check()
            head = first_bytes(path)
            kind, single = classify(head, relative, self.knowledge.layouts), self._is_single(head, relative)
            if (kind is Kind.PACK and not single) or self.knowledge.profile.leaves_out(relative):
                continue
            try:
                stat = path.stat()
            except OSError as error:
                problems.append(Fault(ErrorCode.NOT_FOUND, str(error.strerror), file=relative))
                continue
            found.append(Listed(relative, kind, stat.st_size, stat.st_size, "stored", stat.st_mtime_ns))
            if single:
                try:
                    found.append(self._inside(path, beside(path.parent), stat, context))
                except InputError as error:
                    problems.append(error.fault)
        return Listing(tuple(found), tuple(problems))

    def packs(self) -> list[Path]:
        """The packs among the files, by their first bytes."""
        return [path for relative, path in walk_files(self.root) if self._is_pack(relative, path)]

    def _is_pack(self, relative: str, path: Path) -> bool:
        if self.knowledge.profile.leaves_out(relative):
            return False
        head = first_bytes(path)
        return classify(head, relative, self.knowledge.layouts) is Kind.PACK and not self._is_single(head, relative)

    def _is_single(self, head: bytes, relative: str) -> bool:
        """Whether it is one compressed file that no layout claims."""
        return singles.is_single(head, relative) and not layouts_for(head, relative, self.knowledge.layouts)

    def _inside(self, path: Path, beside: singles.Neighbours, stat: os.stat_result, context: Context) -> Listed:
        """The entry for what a compressed file holds."""
        relative = singles.inner_path(path, beside).relative_to(self.root.resolve()).as_posix()
        data = singles.unpacked(path, context)
        kind = classify(bytes(data[:HEAD_BYTES]), relative, self.knowledge.layouts)
        return Listed(relative, kind, len(data), stat.st_size, "raw", stat.st_mtime_ns)

    def read(self, path: str, context: Context) -> memoryview:
        """The file's bytes; raises `InputError` for a path outside the root."""
        context.check()
        place = (self.root / path).resolve()
        if not place.is_relative_to(self.root.resolve()):
            raise InputError(ErrorCode.OUTSIDE_ROOTS, "the path leads out of the folder", file=path)
        if not place.is_file():
            holder = singles.holder_of(place)
            if holder is None:
                raise not_found(path, self.label)
            return singles.unpacked(holder, context)
        return map_file(place, path)


@dataclass
class FileSource:
    """One file; its neighbours (a model's textures, say) can be read but are not listed."""

    file: Path
    knowledge: Knowledge = field(default_factory=Knowledge)
    kind: str = "file"

    @property
    def label(self) -> str:
        """The file's name."""
        return self.file.name

    def listing(self, context: Context) -> Listing:
        """The file itself, and beside it the files it may refer to."""
        context.check()
        own = [
            Listed(
                path.name,
                classify(first_bytes(path), path.name, self.knowledge.layouts),
                stat.st_size,
                stat.st_size,
                "stored",
                stat.st_mtime_ns,
            )
            for path, stat in [(self.file, self.file.stat())]
        ]
        return Listing((*own, *self._companions(context)))

    def _companions(self, context: Context) -> Iterator[Listed]:
        """What a model may name, in its folder and a little below: textures, materials, buffers."""
        seen = 0
        for folder, folders, names in os.walk(self.file.parent):
            depth = len(Path(folder).relative_to(self.file.parent).parts)
            folders[:] = sorted(folders) if depth < _COMPANION_DEPTH else []
            for name in sorted(names):
                seen += 1
                context.check()
                if seen > _MOST_COMPANIONS:
                    return
                path = Path(folder) / name
                if (
                    path == self.file
                    or not path.is_file()
                    or not path.resolve().is_relative_to(self.file.parent.resolve())
                ):
                    continue
                relative = path.relative_to(self.file.parent).as_posix()
                kind = classify(first_bytes(path), relative, self.knowledge.layouts)
                if kind in {Kind.TEXTURE, Kind.MATERIAL} or path.suffix.lower() == ".bin":
                    stat = path.stat()
                    yield Listed(relative, kind, stat.st_size, stat.st_size, "stored", stat.st_mtime_ns)

    def read(self, path: str, context: Context) -> memoryview:
        """The bytes of the file or of a neighbour."""
        return FolderSource(self.file.parent, self.knowledge).read(path, context)

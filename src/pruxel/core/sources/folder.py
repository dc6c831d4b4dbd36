"""A folder on disk, and a single file as a source of one entry."""

from __future__ import annotations

import os
from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import cache
from pathlib import Path, PurePosixPath

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, Fault, InputError
from pruxel.core.disk.below import HEAD_BYTES, First, find_below, first_bytes, walk_files
from pruxel.core.disk.files import read_file
from pruxel.core.disk.names import shown_part
from pruxel.core.knowledge.kinds import Kind, classify, layouts_for
from pruxel.core.knowledge.known import Knowledge
from pruxel.core.sources import singles
from pruxel.core.sources.base import Listed, Listing, not_found

# How far a single file's companions are looked for.
_COMPANION_DEPTH, _MOST_COMPANIONS = 2, 4000


def can_be_told(path: Path) -> bool:
    """Whether a place can be written down as text: on some systems names are any bytes."""
    try:
        str(path).encode()
    except UnicodeEncodeError:
        return False
    return True


def _cannot_be_told(relative: str) -> Fault:
    return Fault(
        ErrorCode.UNSAFE_NAME,
        "this pack lies under a name that is no text",
        file=relative,
        expected="a name in UTF-8",
        hint="Rename it, or the folder that it is in, and read the folder again.",
    )


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
        for relative, path in walk_files(self.root, problems):
            if len(found) % 1024 == 0:
                context.check()
            first = first_bytes(path)
            kind, single = classify(*first, relative, self.knowledge.layouts), self._is_single(first, relative)
            if (kind is Kind.PACK and not single) or self.knowledge.profile.leaves_out(relative):
                if not can_be_told(path):
                    problems.append(_cannot_be_told(relative))
                continue
            try:
                stat = path.stat()
            except OSError as error:
                problems.append(Fault(ErrorCode.NOT_FOUND, str(error.strerror), file=relative))
                continue
            found.append(Listed(relative, kind, stat.st_size, stat.st_size, "stored", stat.st_mtime_ns))
            if single:
                try:
                    found.append(self._inside(relative, path, beside(path.parent), stat, context))
                except InputError as error:
                    problems.append(error.fault)
        return Listing(tuple(found), tuple(problems))

    def packs(self) -> list[Path]:
        """The packs among the files, by their first bytes, except those whose place cannot be written down."""
        return [p for relative, p in walk_files(self.root) if self._is_pack(relative, p) and can_be_told(p)]

    def _is_pack(self, relative: str, path: Path) -> bool:
        if self.knowledge.profile.leaves_out(relative):
            return False
        first = first_bytes(path)
        return classify(*first, relative, self.knowledge.layouts) is Kind.PACK and not self._is_single(first, relative)

    def _is_single(self, first: First, relative: str) -> bool:
        """Whether it is one compressed file that no layout claims."""
        return singles.is_single(first.head, relative) and not layouts_for(*first, relative, self.knowledge.layouts)

    def _inside(
        self, holder: str, path: Path, beside: singles.Neighbours, stat: os.stat_result, context: Context
    ) -> Listed:
        """The entry for what a compressed file holds, in the folder where its holder is shown."""
        relative = (PurePosixPath(holder).parent / shown_part(singles.inner_path(path, beside).name)).as_posix()
        data = singles.unpacked(path, context)
        kind = classify(bytes(data[:HEAD_BYTES]), len(data), relative, self.knowledge.layouts)
        return Listed(relative, kind, len(data), stat.st_size, "raw", stat.st_mtime_ns)

    def read(self, path: str, context: Context) -> memoryview:
        """The file's bytes; raises `InputError`, also for a path that leads out of the root."""
        context.check()
        above, _, name = path.rpartition("/")
        folder = self.root if not above else find_below(self.root, above)
        if folder is None:
            raise not_found(path, self.label)
        place = find_below(folder, name)
        if place is None or not place.is_file():
            holder = singles.holder_of(folder / name)
            if holder is None:
                raise not_found(path, self.label)
            return singles.unpacked(holder, context)
        return read_file(place, path)


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
                classify(*first_bytes(path), path.name, self.knowledge.layouts),
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
                kind = classify(*first_bytes(path), relative, self.knowledge.layouts)
                if kind in {Kind.TEXTURE, Kind.MATERIAL} or path.suffix.lower() == ".bin":
                    stat = path.stat()
                    yield Listed(relative, kind, stat.st_size, stat.st_size, "stored", stat.st_mtime_ns)

    def beside(self, name: str) -> memoryview | None:
        """The bytes of a neighbour, None where there is none."""
        try:
            return self.read(name.replace("\\", "/").removeprefix("./"), Context())
        except InputError:
            return None

    def read(self, path: str, context: Context) -> memoryview:
        """The bytes of the file or of a neighbour."""
        return FolderSource(self.file.parent, self.knowledge).read(path, context)

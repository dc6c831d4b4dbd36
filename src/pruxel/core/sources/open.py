"""Open what a path or an address stands for, as sources in the order of the stack."""

from __future__ import annotations

import logging
from dataclasses import dataclass
from pathlib import Path

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError, unforeseen
from pruxel.core.binary.versions import fitting_layout
from pruxel.core.knowledge.kinds import Kind, classify, layouts_for
from pruxel.core.knowledge.known import Knowledge
from pruxel.core.sources.archives import ArchiveSource, archive_form
from pruxel.core.sources.base import Listing, Source
from pruxel.core.sources.carve import CarvedSource
from pruxel.core.sources.folder import FileSource, FolderSource
from pruxel.core.sources.origin import INSIDE, Origin, origin_inside, origin_of_file, split_address
from pruxel.core.sources.packs import PackSource
from pruxel.core.sources.zips import ZipSource

log = logging.getLogger("pruxel.sources")


@dataclass(frozen=True)
class Unreadable:
    """A source that is recognised but cannot be opened: its listing tells why."""

    label: str
    error: InputError
    kind: str = "unreadable"

    def listing(self, context: Context) -> Listing:
        """Raises what stood in the way."""
        context.check()
        raise self.error

    def read(self, path: str, context: Context) -> memoryview:
        """Raises what stood in the way."""
        context.check()
        del path
        raise self.error


@dataclass(frozen=True)
class Opened:
    """A source with the address by which it is found again and its place among the profile's layers."""

    source: Source
    address: str
    place: int = 0
    layer: str = ""
    language: str | None = None


def open_origin(origin: Origin, knowledge: Knowledge) -> Source | None:
    """A pack by its first bytes, or None when the bytes are none; a version that nobody knows gives `Unreadable`."""
    first = origin.first()
    if classify(*first, origin.name, knowledge.layouts) is not Kind.PACK:
        return None
    layouts = layouts_for(*first, origin.name, knowledge.layouts)
    if layouts:
        try:
            layout = fitting_layout(layouts, origin.open(), origin.name, any_version=knowledge.any_version)
        except InputError as error:
            return Unreadable(origin.name, error)
        return PackSource(origin, layout, knowledge)
    form = archive_form(first.head, origin.name)
    return ZipSource(origin, knowledge) if form is None else ArchiveSource(origin, form, knowledge)


def open_sources(path: Path, knowledge: Knowledge) -> list[Opened]:
    """The sources that a path stands for, lowest first: packs in the profile's order, loose files where it says so."""
    if path.is_dir():
        loose = FolderSource(path, knowledge)
        found = [_placed(loose, str(path), knowledge, loose=True)]
        for file in loose.packs():
            source = _opened(file, knowledge)
            if source is not None:
                found.append(_placed(source, str(file), knowledge, loose=False))
        return sorted(found, key=lambda o: (o.place, o.source.label))
    if not path.is_file():
        raise InputError(ErrorCode.NOT_FOUND, "there is no such file or folder", file=str(path), hint="Check the path.")
    source = open_origin(origin_of_file(path), knowledge)
    return [_placed(source or FileSource(path, knowledge), str(path), knowledge, loose=False)]


def _opened(file: Path, knowledge: Knowledge) -> Source | None:
    """One pack of a folder: whatever is the matter with it is its own, and the others are opened all the same."""
    try:
        return open_origin(origin_of_file(file), knowledge)
    except InputError as error:
        return Unreadable(file.name, error)
    except Exception as error:
        log.exception("opening %s failed", file)
        return Unreadable(file.name, unforeseen(error, file.name))


def open_address(address: str, knowledge: Knowledge, context: Context) -> list[Opened]:
    """The same for an address that may lead into packs: `place/pack.brp!inner/other.brp`. Raises `InputError`."""
    outer, inner = split_address(address)
    found = open_sources(outer, knowledge)
    for entry in inner:
        holder, place = found[-1].source, found[-1].address
        origin = origin_inside(holder, place, entry, context)
        source = open_origin(origin, knowledge)
        if source is None:
            raise InputError(
                ErrorCode.UNKNOWN_FORMAT,
                "this entry is no pack that can be opened",
                file=address,
                offset=0,
                expected="a ZIP, TAR, 7z, compressed file, or a pack that a layout describes",
                found=f"bytes {bytes(origin.open()[:8]).hex(' ')}",
                hint="Describe the format in a layout (docs/layouts.md).",
            )
        found = [_placed(source, origin.address, knowledge, loose=False)]
    return found


def reopen(address: str, kind: str, knowledge: Knowledge, context: Context) -> Source:
    """The one source that an address of `Opened` stands for; raises `InputError` when it is no longer what it was."""
    place, inner = split_address(address)
    outer = str(place)
    if not place.exists():
        raise InputError(
            ErrorCode.NOT_FOUND, "the source is not there any more", file=outer, hint="Put it back, or unmount it."
        )
    if kind == "folder":
        return FolderSource(place, knowledge)
    source = open_origin(origin_of_file(place), knowledge) or FileSource(place, knowledge)
    reached = outer
    for entry in inner:
        origin = origin_inside(source, reached, entry, context)
        reached = origin.address
        source = open_origin(origin, knowledge) or CarvedSource(origin, ())
    return source


def origin_at(address: str, knowledge: Knowledge, context: Context) -> Origin:
    """The bytes behind an address, whatever they are; raises `InputError`."""
    place, inside = split_address(address)
    if not inside:
        return origin_of_file(place)
    outer, _, inner = address.rpartition(INSIDE)
    holder = reopen(outer, "folder" if place.is_dir() else "pack", knowledge, context)
    return origin_inside(holder, outer, inner, context)


def stamp_of(address: str) -> str:
    """Size and time of change of the file behind an address: whether it is still the one that was read."""
    place, _ = split_address(address)
    try:
        found = place.stat()
    except OSError:
        return ""
    return "folder" if place.is_dir() else f"{found.st_size}:{found.st_mtime_ns}"


def _placed(source: Source, address: str, knowledge: Knowledge, *, loose: bool) -> Opened:
    place, layer = knowledge.profile.layer_of(source.label, loose=loose)
    if layer is None:
        return Opened(source, address, place)
    return Opened(source, address, place, layer.name, layer.language)


def in_language(sources: list[Opened], language: str | None) -> list[Opened]:
    """The sources that count when one language is chosen: its own layers and those of no language."""
    return [s for s in sources if s.language is None or s.language == language]

"""TAR (plain or compressed), 7z and single compressed files as sources, under whatever name."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property

from pruxel.core.base.context import Context
from pruxel.core.base.errors import Fault
from pruxel.core.disk.below import HEAD_BYTES
from pruxel.core.disk.names import safe_path, unique_name
from pruxel.core.knowledge.kinds import Kind, classify, ending_of, is_tar, kinds_by_ending
from pruxel.core.knowledge.known import Knowledge
from pruxel.core.native.archives import Member, members, unpack
from pruxel.core.sources.base import Listed, Listing, not_found, renamed
from pruxel.core.sources.origin import Origin

_SEVEN_ZIP = b"7z\xbc\xaf\x27\x1c"
_COMPRESSED = (b"\x1f\x8b", b"BZh", b"\xfd7zXZ\x00", b"\x28\xb5\x2f\xfd", b"\x04\x22\x4d\x18")
_TAR_ENDINGS = ("tar", "tgz", "tbz", "tbz2", "txz", "tzst")


def archive_form(head: bytes, name: str) -> str | None:
    """`7zip`, `tar` or `raw` (one compressed file) by the first bytes; None for anything else."""
    if head.startswith(_SEVEN_ZIP):
        return "7zip"
    if is_tar(head):
        return "tar"
    if head.startswith(_COMPRESSED):
        inner = name.lower().split(".")
        return "tar" if inner[-1] in _TAR_ENDINGS or "tar" in inner[-2:] else "raw"
    return None


@dataclass
class ArchiveSource:
    """An archive that must be walked through from its start; it is unpacked once, when an entry is first read."""

    origin: Origin
    form: str
    knowledge: Knowledge = field(default_factory=Knowledge)
    kind: str = "archive"

    @property
    def label(self) -> str:
        """The file's name."""
        return self.origin.name

    @cached_property
    def _members(self) -> tuple[list[Member], list[str], list[Fault]]:
        found = members(self.origin.file, self.origin.open(), self.form, self.label, Context())
        if self.form == "raw":
            inner = self.label.rpartition(".")[0] or f"{self.label}.unpacked"
            found = [Member(inner, None, 0)]
        taken: set[str] = set()
        paths = [unique_name(safe_path(member.name), taken) for member in found]
        faults = [
            renamed(self.label, member.name, path)
            for member, path in zip(found, paths, strict=True)
            if path != member.name.removeprefix("./")
        ]
        return found, paths, faults

    @cached_property
    def _unpacked(self) -> tuple[memoryview, list[tuple[int, int]]]:
        return unpack(self.origin.file, self.origin.open(), self.form, self.label, Context())

    def listing(self, context: Context) -> Listing:
        """All files; what has no known ending, and a size that only unpacking tells, are looked at."""
        found, paths, faults = self._members
        known = kinds_by_ending(self.knowledge.layouts)
        entries = []
        for number, (member, path) in enumerate(zip(found, paths, strict=True)):
            if number % 256 == 0:
                context.check()
            kind, size = known.get(ending_of(path)), member.size
            if kind is None or size is None:
                data = self._bytes(number)
                size, kind = len(data), kind or classify(bytes(data[:HEAD_BYTES]), size, path, self.knowledge.layouts)
            entries.append(Listed(path, kind or Kind.UNKNOWN, size, size, self.form, member.changed))
        return Listing(tuple(entries), tuple(faults))

    def _bytes(self, number: int) -> memoryview:
        data, places = self._unpacked
        return data[places[number][0] : places[number][1]]

    def read(self, path: str, context: Context) -> memoryview:
        """The bytes of one file."""
        context.check()
        paths = self._members[1]
        if path not in paths:
            raise not_found(path, self.label)
        return self._bytes(paths.index(path))

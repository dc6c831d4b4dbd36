"""Load a source's entries: one COPY, with folders and facets counted on the way."""

from __future__ import annotations

import hashlib
import uuid
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field
from itertools import islice

from sqlalchemy import delete, select, text
from sqlalchemy.orm import Session

from pruxel.core.base.errors import ErrorCode, Fault
from pruxel.core.disk.names import is_sound
from pruxel.core.sources.base import Listed
from pruxel.server.store.samples import take_samples
from pruxel.server.store.tables import EntryRow, FacetCount, Folder, FolderCount, Slot

_LINES = 20_000
_LARGEST = (1 << 63) - 1
_MOST_TOLD = 100
COLUMNS = "slot, folder, path, kind, size, stored, stamp, variant"


@dataclass
class _Tally:
    """One folder of the source being loaded."""

    id: int
    files: int = 0
    size: int = 0


@dataclass
class Loading:
    """What is being loaded: the slot, the project's folders as far as met, counts by kind, variant and size."""

    project: uuid.UUID
    slot: int
    variant_of: Callable[[str], str] | None = None
    met: int = 0
    rows: int = 0
    size: int = 0
    unsound: list[Listed] = field(default_factory=list)
    folders: dict[str, _Tally] = field(default_factory=dict)
    facets: dict[tuple[str, str, int], list[int]] = field(default_factory=dict)
    fresh: list[tuple[int, str]] = field(default_factory=list)
    spare_ids: list[int] = field(default_factory=list)
    digest: hashlib.blake2b = field(default_factory=lambda: hashlib.blake2b(digest_size=16))

    def meet(self, stored: dict[str, _Tally]) -> None:
        """Take up folders that others stored meanwhile."""
        for name, tally in stored.items():
            self.folders.setdefault(name, tally)

    def line(self, item: Listed) -> str:
        """One line for COPY: sound paths hold neither tabs, line ends nor backslashes. Nothing for unsound ones."""
        path, kind, size, stored, _, stamp = item
        self.met += 1
        if not (is_sound(path) and 0 <= size <= _LARGEST and 0 <= stored <= _LARGEST and abs(stamp) <= _LARGEST):
            self.unsound.append(item)
            return ""
        name = path[: max(path.rfind("/"), 0)]
        folder = self.folders.get(name) or self._folder(name)
        folder.files += 1
        folder.size += size
        variant = "" if self.variant_of is None else self.variant_of(path)
        key = (kind, variant, len(str(size)))
        facet = self.facets.get(key)
        if facet is None:
            facet = self.facets[key] = [0, 0]
        facet[0] += 1
        facet[1] += size
        self.rows += 1
        self.size += size
        return f"{self.slot}\t{folder.id}\t{path}\t{kind}\t{size}\t{stored}\t{stamp}\t{variant}\n"

    def left_out(self) -> list[Fault]:
        """What was not loaded since it cannot be stored, with the reason."""
        shown = [_why(item) for item in self.unsound[:_MOST_TOLD]]
        more = len(self.unsound) - len(shown)
        if more:
            shown.append(Fault(ErrorCode.UNSAFE_NAME, f"{more:,} more entries of the kind are left out"))
        return shown

    def _folder(self, name: str) -> _Tally:
        found = _Tally(self.spare_ids.pop())
        self.folders[name] = found
        self.fresh.append((found.id, name))
        return found


def _why(item: Listed) -> Fault:
    if not is_sound(item.path):
        return Fault(
            ErrorCode.UNSAFE_NAME,
            "an entry is left out: its path cannot be stored",
            expected="a relative path of at most 1,000 characters",
            found=f"{item.path[:120]!a}, {len(item.path):,} characters",
            hint="Shorten the names of the folders that it lies in.",
        )
    return Fault(
        ErrorCode.MALFORMED,
        "an entry is left out: no file can be so large",
        file=item.path,
        expected="sizes below 2^63 bytes",
        found=f"{item.size:,} bytes, stored as {item.stored:,}",
        hint="The list of entries is damaged.",
    )


def load_alone(db: Session, project: uuid.UUID) -> None:
    """Until this transaction ends nobody else loads into the project; waits for who does."""
    db.execute(text("SELECT pg_advisory_xact_lock(hashtext(:p))"), {"p": str(project)})


def new_slot(db: Session, project: uuid.UUID, source: uuid.UUID, holders: list[str]) -> int:
    """The slot for a source and a set of holders, made when it is not there."""
    wanted = sorted(holders)
    known = db.execute(select(Slot.id).where(Slot.source_id == source, Slot.holders == wanted)).scalar_one_or_none()
    if known is not None:
        return known
    made = Slot(project_id=project, source_id=source, holders=wanted)
    db.add(made)
    db.flush()
    return made.id


def known_folders(db: Session, project: uuid.UUID) -> dict[str, _Tally]:
    """The folders that the project has already."""
    rows = db.execute(select(Folder.path, Folder.id).where(Folder.project_id == project))
    return {path: _Tally(number) for path, number in rows}


def copy_entries(
    db: Session, loading: Loading, entries: Iterable[Listed], told: Callable[[int], None], into: str
) -> None:
    """Stream entries into `into`; the transaction is the caller's. `told` hears how many were met."""
    cursor = db.connection().connection.cursor()
    with cursor.copy(f"COPY {into} ({COLUMNS}) FROM STDIN") as copy:
        for chunk in _chunks(entries, loading, db):
            copy.write(chunk)
            told(loading.met)


def _chunks(entries: Iterable[Listed], loading: Loading, db: Session) -> Iterator[str]:
    """Lines by the thousand. Ids for folders are taken ahead, on another connection, since COPY holds this one."""
    walk = iter(entries)
    while batch := list(islice(walk, _LINES)):
        lacking = 2 * len({item[0][: max(item[0].rfind("/"), 0)] for item in batch} - loading.folders.keys())
        if lacking > len(loading.spare_ids):
            with Session(db.get_bind()) as other:
                taken = other.execute(
                    text("SELECT nextval('folders_id_seq') FROM generate_series(1, :n)"), {"n": lacking}
                )
                loading.spare_ids += [row[0] for row in taken]
        lines = "".join(map(loading.line, batch))
        loading.digest.update(lines.encode())
        yield lines


def walk_past(loading: Loading, entries: Iterator[Listed], rows: int) -> str:
    """Count entries that are loaded already; returns the digest of their lines, empty when they are others."""
    while batch := list(islice(entries, min(_LINES, rows))):
        rows -= len(batch)
        if any(item[0][: max(item[0].rfind("/"), 0)] not in loading.folders for item in batch):
            return ""
        loading.digest.update("".join(map(loading.line, batch)).encode())
    return "" if rows else loading.digest.hexdigest()


def store_folders(db: Session, loading: Loading) -> None:
    """Store folders met for the first time, with all folders above them."""
    above = {name for name in _ancestors(loading.folders) if name not in loading.folders}
    taken = db.execute(text("SELECT nextval('folders_id_seq') FROM generate_series(1, :n)"), {"n": len(above)})
    for (number,), name in zip(taken, sorted(above), strict=True):
        loading.folders[name] = _Tally(number)
        loading.fresh.append((number, name))
    cursor = db.connection().connection.cursor()
    with cursor.copy("COPY folders (id, project_id, parent, path) FROM STDIN") as copy:
        for number, name in loading.fresh:
            parent = loading.folders[name[: max(name.rfind("/"), 0)]].id if name else None
            copy.write_row((number, loading.project, parent, name))
    loading.fresh.clear()


def store_counts(db: Session, loading: Loading) -> None:
    """Store what the slot that was loaded has in each folder, and of each kind and variant."""
    cursor = db.connection().connection.cursor()
    below: dict[str, list[int]] = {}
    for name, tally in loading.folders.items():
        if tally.files:
            for place in _ways_up(name):
                sums = below.setdefault(place, [0, 0])
                sums[0] += tally.files
                sums[1] += tally.size
    with cursor.copy("COPY folder_counts (slot, folder, files, below, size) FROM STDIN") as copy:
        for name, (files, size) in below.items():
            tally = loading.folders[name]
            copy.write_row((loading.slot, tally.id, tally.files, files, size))
    with cursor.copy("COPY facet_counts (slot, kind, variant, digits, number, size) FROM STDIN") as copy:
        for (kind, variant, digits), (number, size) in loading.facets.items():
            copy.write_row((loading.slot, str(kind), variant, digits, number, size))
    take_samples(db, [loading.slot])


def _ways_up(name: str) -> Iterator[str]:
    """The folder itself and every one above it, to the top (an empty name)."""
    while name:
        yield name
        name = name[: max(name.rfind("/"), 0)]
    yield ""


def _ancestors(names: Iterable[str]) -> set[str]:
    found: set[str] = set()
    for name in names:
        for place in _ways_up(name):
            if place in found:
                break
            found.add(place)
    return found


def recount(db: Session, slots: list[int]) -> None:
    """Count folders and facets of some slots anew from their rows."""
    db.execute(delete(FacetCount).where(FacetCount.slot.in_(slots)))
    db.execute(delete(FolderCount).where(FolderCount.slot.in_(slots)))
    db.execute(
        text(
            "INSERT INTO facet_counts (slot, kind, variant, digits, number, size) "
            "SELECT slot, kind, variant, length(size::text), count(*), sum(size) FROM entries "
            "WHERE slot = ANY(:slots) GROUP BY 1, 2, 3, 4"
        ),
        {"slots": slots},
    )
    db.execute(
        text(
            """
            WITH RECURSIVE direct AS (
                SELECT slot, folder, count(*) AS files, sum(size) AS size
                FROM entries WHERE slot = ANY(:slots) GROUP BY 1, 2
            ), up AS (
                SELECT slot, folder, folder AS place, files, size FROM direct
                UNION ALL
                SELECT up.slot, up.folder, f.parent, up.files, up.size
                FROM up JOIN folders f ON f.id = up.place WHERE f.parent IS NOT NULL
            )
            INSERT INTO folder_counts (slot, folder, files, below, size)
            SELECT slot, place, sum(CASE WHEN folder = place THEN files ELSE 0 END), sum(files), sum(size)
            FROM up GROUP BY 1, 2
            """
        ),
        {"slots": slots},
    )
    take_samples(db, slots)


def slots_of(db: Session, source: uuid.UUID) -> list[int]:
    """All slots of a source."""
    return list(db.execute(select(Slot.id).where(Slot.source_id == source)).scalars())


def remove_entries(db: Session, source: uuid.UUID) -> None:
    """Take a source's rows out, with its slots and their counts."""
    slots = slots_of(db, source)
    db.execute(delete(EntryRow).where(EntryRow.slot.in_(slots)))
    db.execute(delete(Slot).where(Slot.id.in_(slots)))

"""The project's stack as the database holds it; sources are opened when an entry of theirs is read."""

from __future__ import annotations

import uuid
from collections import OrderedDict
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from threading import Lock

from sqlalchemy import select

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.knowledge.kinds import Kind
from pruxel.core.knowledge.known import Knowledge
from pruxel.core.knowledge.profile import Profile
from pruxel.core.recipe.inputs import Opener
from pruxel.core.sources.base import Source, not_found
from pruxel.core.sources.carve import CarvedSource, Hit
from pruxel.core.sources.open import origin_at, reopen, stamp_of
from pruxel.core.sources.origin import split_address
from pruxel.core.sources.references import PLACES, Resolution, candidate_paths
from pruxel.server.settings import settings
from pruxel.server.store import missing
from pruxel.server.store.conditions import Query
from pruxel.server.store.database import glance, reading, session
from pruxel.server.store.projects import knowledge_of
from pruxel.server.store.search import page
from pruxel.server.store.stack_state import StackState, stack_state
from pruxel.server.store.tables import EntryRow, Slot, SourceRow

AT_SOURCE = "@"
_MOST_SOURCES = 64
_lock = Lock()
_sources: OrderedDict[str, Source] = OrderedDict()
_known: OrderedDict[str, Knowledge] = OrderedDict()


def check_root(path: Path) -> Path:
    """The resolved path, when it lies below one of the permitted roots; raises `InputError`."""
    try:
        resolved = path.expanduser().resolve()
    except (OSError, RuntimeError, ValueError) as error:
        raise InputError(ErrorCode.NOT_FOUND, f"this is no path ({error})", file=str(path)) from error
    permitted = [*settings().roots, settings().uploads]
    if not any(resolved.is_relative_to(root.expanduser().resolve()) for root in permitted):
        raise InputError(
            ErrorCode.OUTSIDE_ROOTS,
            "this place is not below a permitted folder",
            file=str(path),
            expected="below " + ", ".join(str(r) for r in settings().roots),
            hint="Set PRUXEL_ROOTS to permit more folders.",
        )
    return resolved


def at_source(source: uuid.UUID, path: str) -> str:
    """How a workpiece names one version of an entry rather than the one that wins."""
    return f"{AT_SOURCE}{source}/{path}"


def split_source(path: str) -> tuple[uuid.UUID | None, str]:
    """The source, when one is named, and the path."""
    if path.startswith(AT_SOURCE):
        first, _, rest = path[1:].partition("/")
        try:
            return uuid.UUID(first), rest
        except ValueError:
            pass
    return None, path


def known_of(project: uuid.UUID, revision: int) -> Knowledge:
    """Profile, keys and names, read again only when the project changed."""
    key = f"{project}|{revision}"
    with _lock:
        if key in _known:
            return _known[key]
    with session() as db:
        found = knowledge_of(db, project)
    with _lock:
        _known[key] = found
        while len(_known) > 4:
            _known.popitem(last=False)
    return found


def open_source(row: SourceRow, known: Knowledge, revision: int, context: Context) -> Source:
    """A mounted source, kept open while nothing about it changes; raises `InputError` when its file did."""
    check_root(split_address(row.address)[0])
    if row.stamp and stamp_of(row.address) != row.stamp:
        raise InputError(
            ErrorCode.SOURCE_CHANGED,
            "the file changed since it was read",
            file=row.label,
            expected=f"size and time {row.stamp}",
            found=stamp_of(row.address) or "no file",
            hint="Read the source again.",
        )
    key = f"{row.id}|{row.stamp}|{revision}"
    with _lock:
        if key in _sources:
            _sources.move_to_end(key)
            return _sources[key]
    source = opened_anew(row, known, context)
    with _lock:
        _sources[key] = source
        while len(_sources) > _MOST_SOURCES:
            _sources.popitem(last=False)
    return source


def opened_anew(row: SourceRow, known: Knowledge, context: Context) -> Source:
    """The source of a row, by its address and options."""
    knowledge = replace(known, any_version=bool(row.options.get("any_version")))
    if row.kind == "carved":
        hits = tuple(Hit(**hit | {"kind": Kind(hit["kind"])}) for hit in row.options["hits"])
        return CarvedSource(origin_at(row.address, knowledge, context), hits)
    return reopen(row.address, row.kind, knowledge, context)


@dataclass(frozen=True)
class StoredStack:
    """The merged view for those who open entries."""

    state: StackState
    knowledge: Knowledge

    @property
    def profile(self) -> Profile:
        """The project's profile."""
        return self.knowledge.profile

    def row(self, path: str) -> EntryRow | None:
        """The winning entry, or the one of the source that the path names."""
        source, plain = split_source(path)
        slots = self.state.winning
        if source is not None:
            slots = [slot.id for slot in self.state.slots if slot.source == source]
        with session() as db:
            return db.execute(
                select(EntryRow).where(EntryRow.slot.in_(slots), EntryRow.path == plain).limit(1)
            ).scalar_one_or_none()

    def kind_of(self, path: str) -> Kind | None:
        """The kind of the entry."""
        found = self.row(path)
        return None if found is None else Kind(found.kind)

    def source_row(self, slot: int) -> SourceRow:
        """The source whose slot this is."""
        wanted = self.state.by_slot[slot].source
        return next(s for s in self.state.sources if s.id == wanted)

    def read(self, path: str, context: Context) -> memoryview:
        """The entry's bytes; raises `InputError`."""
        found = self.row(path)
        if found is None:
            raise not_found(path, "the sources that are switched on")
        return self.read_row(found, context)

    def read_row(self, row: EntryRow, context: Context) -> memoryview:
        """The bytes of one stored entry; raises `InputError`."""
        source = open_source(self.source_row(row.slot), self.knowledge, self.state.revision, context)
        return source.read(row.path, context)

    def pinned(self, row: EntryRow) -> str:
        """The path by which this version of an entry is read, whichever wins."""
        if row.slot in self.state.winning:
            return row.path
        return at_source(self.state.by_slot[row.slot].source, row.path)

    def near(self, path: str, kind: Kind, most: int) -> list[str]:
        """Entries of a kind in the folder of a path, then below the folders above it, nearest first."""
        found: dict[str, None] = {}
        folder = split_source(path)[1]
        while folder and len(found) < most:
            folder = folder.rpartition("/")[0]
            with reading() as db:
                rows = page(db, self.state, Query(kind=kind, folder=folder or None), offset=0, limit=most)
            found |= dict.fromkeys(row.path for row in rows)
        return list(found)[:most]

    def resolve(self, name: str, beside: str) -> Resolution:
        """The entry that a file at `beside` means by `name`, as `references.Shelf` would find it."""
        return self.resolve_all([name], beside)[0]

    def resolve_all(self, names: Sequence[str], beside: str) -> list[Resolution]:
        """The same for many names: those that are paths as they stand come by one question for all."""
        slots = self.state.winning
        if not slots or not names:
            return [Resolution(None) for _ in names]
        # No path holds NUL, and the database would not even be asked about one.
        plain = [name.replace("\0", "\ufffd") for name in names]
        candidates = [candidate_paths(name, split_source(beside)[1]) for name in plain]
        every = list({path for paths in candidates for path in paths})
        values = {"slots": slots, "paths": every}
        there = {row[0] for row in glance(_EXACT, values)}
        found = []
        for paths in candidates:
            exact = next((one for one in zip(paths, PLACES, strict=True) if one[0] in there), None)
            found.append(_looked_up(slots, paths) if exact is None else Resolution(exact[0], how=exact[1]))
        return found


_EXACT = "SELECT path FROM entries WHERE slot = ANY(%(slots)s) AND path = ANY(%(paths)s)"
_NAMED = (
    "SELECT path FROM entries WHERE slot = ANY(%(slots)s) AND split_part(lowered, '/', -1) = %(name)s "
    "ORDER BY path LIMIT 6"
)
_NEAR = (
    "SELECT path FROM (SELECT path, similarity(lowered, %(name)s) AS s FROM entries "
    "WHERE slot = ANY(%(slots)s) AND lowered %% %(name)s LIMIT 2000) t ORDER BY s DESC, path LIMIT 5"
)


def _looked_up(slots: list[int], candidates: Sequence[str]) -> Resolution:
    """An entry whose path is a candidate in other letter case, or the only one of that name, or near names.

    Names are looked up by the index of last parts, what is near by that of words.
    """
    last = candidates[0].rsplit("/", 1)[-1].lower()
    same = [row[0] for row in glance(_NAMED, {"slots": slots, "name": last})]
    by_lower = {path.lower(): path for path in same}
    for wanted, how in zip(candidates, PLACES, strict=True):
        if wanted.lower() in by_lower:
            return Resolution(by_lower[wanted.lower()], how=how)
    if len(same) == 1:
        return Resolution(same[0], how="by its name alone")
    if same:
        return Resolution(None, tuple(same[:5]))
    near = glance(_NEAR, {"slots": slots, "name": candidates[0].lower()})
    return Resolution(None, tuple(row[0] for row in near))


def stored_stack(project: uuid.UUID) -> StoredStack:
    """The project's stack as it is now."""
    with session() as db:
        state = stack_state(db, project)
    if state is None:
        raise not_found("project", "this server")
    return StoredStack(state, known_of(project, state.revision))


def stored_entry(entry: int) -> tuple[EntryRow, StoredStack]:
    """An entry with its project's stack; raises `InputError` when it is gone."""
    with session() as db:
        row = db.get(EntryRow, entry)
        slot = None if row is None else db.get(Slot, row.slot)
    if row is None or slot is None:
        raise missing.not_found("entry")
    return row, stored_stack(slot.project_id)


def opener(project: uuid.UUID) -> Opener:
    """What opens entries of the project."""
    return Opener(stored_stack(project))


def fingerprint(project: uuid.UUID) -> str:
    """Changes when what entries come out as may change: sources, their files, profile, keys, names."""
    with session() as db:
        state = stack_state(db, project)
    if state is None:
        return ""
    files = [f"{row.id}:{stamp_of(row.address)}" for row in state.sources if state.counts(row)]
    return "|".join([str(state.revision), *files])

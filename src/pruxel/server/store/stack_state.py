"""The stack of a project as the merged view needs it: which slots are chosen, and whose they are."""

from __future__ import annotations

import uuid
from collections import OrderedDict
from dataclasses import dataclass, field
from functools import cached_property
from threading import Lock
from typing import Any

from sqlalchemy import func, select, text, update
from sqlalchemy.orm import Session

from pruxel.server.store.database import glance
from pruxel.server.store.tables import FacetCount, Mark, Project, Slot, SourceRow

READY = "ready"
# Unmounted, its rows not yet removed.
LEAVING = "leaving"


@dataclass(frozen=True)
class SlotInfo:
    """A slot without its row: who holds its paths, sorted, and how many there are."""

    id: int
    source: uuid.UUID
    holders: tuple[str, ...]
    entries: int


@dataclass(frozen=True)
class StackState:
    """Sources lowest first, slots, and what follows from order, switches and language.

    `everything` is how many entries all projects have together, `folder_names` aliases of folders by path, `answers`
    what follows from all this and was worked out already.
    """

    project: uuid.UUID
    revision: int
    language: str | None
    sources: tuple[SourceRow, ...]
    slots: tuple[SlotInfo, ...]
    everything: int
    folder_names: dict[str, str]
    answers: dict[tuple[object, ...], Any] = field(default_factory=dict)

    def counts(self, source: SourceRow) -> bool:
        """Whether a source takes part in the merged view."""
        spoken = source.language is None or source.language == self.language
        return source.on and spoken and source.state == READY

    @cached_property
    def rank(self) -> dict[str, int]:
        """Position of every source that counts, by id."""
        return {str(s.id): n for n, s in enumerate(self.sources) if self.counts(s)}

    @cached_property
    def label(self) -> dict[str, str]:
        """Label by source id."""
        return {str(s.id): s.label for s in self.sources}

    @cached_property
    def by_slot(self) -> dict[int, SlotInfo]:
        """Slots by id."""
        return {s.id: s for s in self.slots}

    @cached_property
    def winning(self) -> list[int]:
        """The slots of the merged view: in each group of paths that of the highest source that counts."""
        return [
            slot.id
            for slot in self.slots
            if str(slot.source) in self.rank
            and self.rank[str(slot.source)] == max(self.rank.get(holder, -1) for holder in slot.holders)
        ]

    @cached_property
    def every(self) -> list[int]:
        """All slots of the project, chosen or not."""
        return [slot.id for slot in self.slots]

    @cached_property
    def _shadowed(self) -> dict[int, list[str]]:
        return {slot.id: self._below(slot) for slot in self.slots}

    def _below(self, slot: SlotInfo) -> list[str]:
        held = [h for h in slot.holders if h != str(slot.source) and h in self.rank]
        return [self.label[h] for h in sorted(held, key=lambda h: -self.rank[h])]

    def shadowed(self, slot: int) -> list[str]:
        """Labels of the sources that a chosen slot shadows, highest first."""
        return self._shadowed[slot]

    @cached_property
    def _labels(self) -> dict[int, str]:
        return {slot.id: self.label[str(slot.source)] for slot in self.slots}

    def label_of(self, slot: int) -> str:
        """Label of a slot's source."""
        return self._labels[slot]

    @cached_property
    def _versions(self) -> dict[int, int]:
        return {slot.id: sum(holder in self.label for holder in slot.holders) for slot in self.slots}

    def versions(self, slot: int) -> int:
        """How many sources still mounted hold the slot's paths."""
        return self._versions[slot]

    def rank_of(self, slot: int) -> int:
        """Position of a slot's source; -1 when it does not count."""
        return self.rank.get(str(self.by_slot[slot].source), -1)

    def shadowing(self) -> list[int]:
        """The chosen slots that shadow something."""
        return [slot for slot in self.winning if self.shadowed(slot)]


# Every change of a row gives it another xmin or ctid, so that equal stamps mean equal rows.
_STAMP = """
    SELECT p.revision, p.naming, p.language, (SELECT coalesce(sum(entries), 0) FROM sources) AS everything,
           (SELECT string_agg(concat_ws(':', s.id, s.xmin, s.ctid), ',' ORDER BY s.id)
            FROM sources s WHERE s.project_id = p.id) AS sources,
           (SELECT string_agg(concat_ws(':', s.id, s.xmin, s.ctid), ',' ORDER BY s.id)
            FROM slots s WHERE s.project_id = p.id) AS slots,
           (SELECT string_agg(concat_ws(':', f.slot, f.xmin, f.ctid), ',' ORDER BY f.slot, f.kind, f.variant, f.digits)
            FROM facet_counts f JOIN slots s ON s.id = f.slot WHERE s.project_id = p.id) AS facets
    FROM projects p WHERE p.id = {project}
"""
_MOST_KEPT = 8
_lock = Lock()
_kept: OrderedDict[uuid.UUID, tuple[tuple[object, ...], StackState]] = OrderedDict()


def stack_state(db: Session, project: uuid.UUID) -> StackState | None:
    """The project's stack, kept while nothing about it changes; None when there is no such project."""
    stamp = db.execute(text(_STAMP.format(project=":project")), {"project": project}).one_or_none()
    if stamp is None:
        return None
    known = _known(project, tuple(stamp))
    if known is not None:
        return known
    found = _read(db, project, stamp.revision, stamp.language, int(stamp.everything))
    with _lock:
        _kept[project] = (tuple(stamp), found)
        _kept.move_to_end(project)
        while len(_kept) > _MOST_KEPT:
            _kept.popitem(last=False)
    return found


def kept_state(project: uuid.UUID) -> StackState | None:
    """The project's stack if it is kept and still holds, told by a glance."""
    stamps = glance(_STAMP.format(project="%(project)s"), {"project": project})
    return _known(project, stamps[0]) if stamps else None


def _known(project: uuid.UUID, stamp: tuple[object, ...]) -> StackState | None:
    with _lock:
        known = _kept.get(project)
    return known[1] if known is not None and known[0] == stamp else None


def _read(db: Session, project: uuid.UUID, revision: int, language: str | None, everything: int) -> StackState:
    # Rows of a session of their own outlive the caller's, and nobody can change them.
    with Session(db.connection(), expire_on_commit=False) as apart:
        sources = apart.execute(
            select(SourceRow).where(SourceRow.project_id == project).order_by(SourceRow.position, SourceRow.label)
        ).scalars()
        rows = tuple(sources)
    number = select(func.coalesce(func.sum(FacetCount.number), 0)).where(FacetCount.slot == Slot.id).scalar_subquery()
    slots = db.execute(
        select(Slot.id, Slot.source_id, Slot.holders, number).where(Slot.project_id == project).order_by(Slot.id)
    )
    infos = tuple(SlotInfo(slot, source, tuple(holders), int(entries)) for slot, source, holders, entries in slots)
    named = select(Mark.path, Mark.alias).where(Mark.project_id == project, Mark.folder, Mark.alias != "")
    names = {row.path: row.alias for row in db.execute(named)}
    return StackState(project, revision, language, rows, infos, everything, names)


def touch(db: Session, project: uuid.UUID) -> None:
    """Count the project's revision up: what was opened with its profile, keys, names or sources is opened anew."""
    db.execute(update(Project).where(Project.id == project).values(revision=Project.revision + 1))

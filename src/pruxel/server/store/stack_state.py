"""The stack of a project as the merged view needs it: which slots are chosen, and whose they are."""

from __future__ import annotations

import uuid
from dataclasses import dataclass
from functools import cached_property

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from pruxel.server.store.tables import FacetCount, Project, Slot, SourceRow

READY = "ready"


@dataclass(frozen=True)
class SlotInfo:
    """A slot without its row: who holds its paths, sorted, and how many there are."""

    id: int
    source: uuid.UUID
    holders: tuple[str, ...]
    entries: int


@dataclass(frozen=True)
class StackState:
    """Sources lowest first, slots, and what follows from order, switches and language."""

    project: uuid.UUID
    revision: int
    language: str | None
    sources: tuple[SourceRow, ...]
    slots: tuple[SlotInfo, ...]

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

    def shadowed(self, slot: int) -> list[str]:
        """Labels of the sources that a chosen slot shadows, highest first."""
        info = self.by_slot[slot]
        below = [h for h in info.holders if h != str(info.source) and h in self.rank]
        return [self.label[h] for h in sorted(below, key=lambda h: -self.rank[h])]

    def versions(self, slot: int) -> int:
        """How many sources still mounted hold the slot's paths."""
        return sum(holder in self.label for holder in self.by_slot[slot].holders)

    def label_of(self, slot: int) -> str:
        """Label of a slot's source."""
        return self.label[str(self.by_slot[slot].source)]

    def rank_of(self, slot: int) -> int:
        """Position of a slot's source; -1 when it does not count."""
        return self.rank.get(str(self.by_slot[slot].source), -1)

    def shadowing(self) -> list[int]:
        """The chosen slots that shadow something."""
        return [slot for slot in self.winning if self.shadowed(slot)]


def stack_state(db: Session, project: uuid.UUID) -> StackState | None:
    """The project's stack; None when there is no such project."""
    found = db.execute(select(Project.revision, Project.language).where(Project.id == project)).one_or_none()
    if found is None:
        return None
    sources = db.execute(
        select(SourceRow).where(SourceRow.project_id == project).order_by(SourceRow.position, SourceRow.label)
    ).scalars()
    number = select(func.coalesce(func.sum(FacetCount.number), 0)).where(FacetCount.slot == Slot.id).scalar_subquery()
    slots = db.execute(
        select(Slot.id, Slot.source_id, Slot.holders, number).where(Slot.project_id == project).order_by(Slot.id)
    )
    infos = tuple(SlotInfo(slot, source, tuple(holders), int(entries)) for slot, source, holders, entries in slots)
    return StackState(project, found.revision, found.language, tuple(sources), infos)


def touch(db: Session, project: uuid.UUID) -> None:
    """Count the project's revision up: what was opened with its profile, keys, names or sources is opened anew."""
    db.execute(update(Project).where(Project.id == project).values(revision=Project.revision + 1))

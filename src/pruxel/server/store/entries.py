"""Entries: loaded by COPY, merged by one statement, searched page by page."""

from __future__ import annotations

import uuid
from collections.abc import Iterable

from sqlalchemy import ColumnElement, and_, func, not_, select, text
from sqlalchemy.orm import Session

from pruxel.core.sources.base import Listed
from pruxel.server.store.tables import EntryRow, SourceRow

_MERGE = text(
    """
    UPDATE entries e SET wins = (e.id = best.id)
    FROM (
        SELECT DISTINCT ON (x.path) x.path, x.id FROM entries x JOIN sources s ON s.id = x.source_id
        WHERE x.project_id = :project ORDER BY x.path, s.position DESC
    ) best
    WHERE e.project_id = :project AND e.path = best.path AND e.wins <> (e.id = best.id)
    """
)


def load_entries(db: Session, project: uuid.UUID, source: uuid.UUID, found: Iterable[Listed]) -> None:
    """Copy a source's entries in."""
    cursor = db.connection().connection.cursor()
    with cursor.copy("COPY entries (project_id, source_id, path, kind, size, wins) FROM STDIN") as copy:
        for item in found:
            copy.write_row((project, source, item.path, str(item.kind), item.size, True))


def merge(db: Session, project: uuid.UUID) -> None:
    """Mark in every path the entry of the highest source."""
    db.execute(_MERGE, {"project": project})


def _pattern(word: str) -> str:
    escaped = word.replace("\\", "\\\\").replace("%", r"\%").replace("_", r"\_")
    return f"%{escaped.replace('*', '%').replace('?', '_')}%"


def _search(project: uuid.UUID, words: str, kind: str | None, folder: str | None) -> ColumnElement[bool]:
    """Words in any order, `-word` excludes, `*` and `?` are wildcards."""
    conditions: list[ColumnElement[bool]] = [EntryRow.project_id == project, EntryRow.wins.is_(True)]
    for word in words.split():
        if word.startswith("-") and len(word) > 1:
            conditions.append(not_(EntryRow.path.ilike(_pattern(word[1:]))))
        else:
            conditions.append(EntryRow.path.ilike(_pattern(word)))
    if kind:
        conditions.append(EntryRow.kind == kind)
    if folder:
        conditions.append(EntryRow.path.startswith(f"{folder}/", autoescape=True))
    return and_(*conditions)


def search(
    db: Session, project: uuid.UUID, words: str, kind: str | None, folder: str | None, *, after: str, limit: int
) -> tuple[list[tuple[EntryRow, str]], int, dict[str, int]]:
    """One page of entries with their source's label, the total, and the counts by kind (regardless of kind chosen)."""
    wanted = _search(project, words, kind, folder)
    rows = (
        select(EntryRow, SourceRow.label)
        .join(SourceRow, SourceRow.id == EntryRow.source_id)
        .where(wanted, EntryRow.path > after)
        .order_by(EntryRow.path)
        .limit(limit)
    )
    any_kind = _search(project, words, None, folder)
    counted = db.execute(select(EntryRow.kind, func.count()).where(any_kind).group_by(EntryRow.kind))
    counts = {name: int(number) for name, number in counted}
    total = counts.get(kind, 0) if kind else sum(counts.values())
    return [(row[0], row[1]) for row in db.execute(rows)], total, counts


def folders(db: Session, project: uuid.UUID) -> dict[str, int]:
    """Every folder of the merged view with the number of entries below it."""
    folder = func.regexp_replace(EntryRow.path, "/?[^/]*$", "")
    rows = db.execute(
        select(folder, func.count()).where(EntryRow.project_id == project, EntryRow.wins).group_by(folder)
    )
    counts: dict[str, int] = {}
    for path, number in rows:
        steps = path.split("/") if path else []
        for depth in range(1, len(steps) + 1):
            name = "/".join(steps[:depth])
            counts[name] = counts.get(name, 0) + int(number)
    return dict(sorted(counts.items()))


def shadowed_labels(db: Session, project: uuid.UUID, paths: list[str]) -> dict[str, list[str]]:
    """For some paths the labels of the sources that are shadowed there, highest first."""
    rows = db.execute(
        select(EntryRow.path, SourceRow.label)
        .join(SourceRow, SourceRow.id == EntryRow.source_id)
        .where(EntryRow.project_id == project, EntryRow.path.in_(paths), not_(EntryRow.wins))
        .order_by(SourceRow.position.desc())
    )
    found: dict[str, list[str]] = {}
    for path, label in rows:
        found.setdefault(path, []).append(label)
    return found

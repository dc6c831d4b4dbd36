"""Aliases, notes, stars; and entries by pattern."""

from __future__ import annotations

import re
import uuid
from typing import Any

from sqlalchemy import text, update
from sqlalchemy.orm import Session

from pruxel.core.knowledge.patterns import pattern_regex
from pruxel.server.store.jobs import tell
from pruxel.server.store.likes import escaped
from pruxel.server.store.stack_state import StackState
from pruxel.server.store.tables import Project

_CHANGE = text(
    """
    INSERT INTO marks (project_id, path, folder, alias, note, star, seen, origin, stamp, size)
    VALUES (:project, :path, :folder, coalesce(:alias, ''), coalesce(:note, ''), coalesce(:star, false),
            coalesce(:seen, false), '', :stamp, :size)
    ON CONFLICT (project_id, path) DO UPDATE SET
        alias = coalesce(:alias, marks.alias), note = coalesce(:note, marks.note), star = coalesce(:star, marks.star),
        seen = coalesce(:seen, marks.seen), stamp = coalesce(:stamp, marks.stamp), size = coalesce(:size, marks.size),
        origin = CASE WHEN CAST(:alias AS text) IS NULL THEN marks.origin ELSE '' END
    """
)


def change_mark(db: Session, state: StackState, path: str, *, folder: bool, values: dict[str, Any]) -> None:
    """Set some of alias, note, star, seen of a path; the rest stays. Remembers the content it is said of."""
    row = None
    if not folder:
        row = db.execute(
            text("SELECT stamp, size FROM entries WHERE slot = ANY(:slots) AND path = :path LIMIT 1"),
            {"slots": state.winning, "path": path},
        ).one_or_none()
    said = {name: values.get(name) for name in ("alias", "note", "star", "seen")}
    content = {"stamp": None if row is None else row.stamp, "size": None if row is None else row.size}
    db.execute(_CHANGE, {"project": state.project, "path": path, "folder": folder} | said | content)


def names_changed(db: Session, project: uuid.UUID) -> None:
    """Tell that aliases or notes of a project have changed."""
    db.execute(update(Project).where(Project.id == project).values(naming=Project.naming + 1))
    tell(db, {"changed": "marks", "project_id": str(project)})


def found_by_pattern(db: Session, state: StackState, pattern: str, most: int) -> tuple[str, ...]:
    """Paths of the merged view that a pattern means, sorted."""
    if not state.winning:
        return ()
    values: dict[str, Any] = {"slots": state.winning, "most": most}
    if not any(mark in pattern for mark in "*?"):
        condition = "path = :path"
        values["path"] = pattern
    else:
        start = re.split(r"[*?]", pattern, maxsplit=1)[0]
        like = escaped(pattern).replace("*", "%").replace("?", "_")
        values |= {"low": start, "high": start + "\U0010ffff", "regex": f"^{pattern_regex(pattern)}$", "like": like}
        condition = "path >= :low AND path < :high AND path ILIKE :like AND path ~* :regex"
    rows = db.execute(
        text(f"SELECT path FROM entries WHERE slot = ANY(:slots) AND {condition} ORDER BY path LIMIT :most"), values
    )
    return tuple(row[0] for row in rows)


def places_of(db: Session, state: StackState, pattern: str, most: int) -> tuple[tuple[str, ...], bool]:
    """What a pattern gives a name to, as it is there: a folder (`…/**`, true), or paths of entries."""
    place = pattern.removesuffix("/**")
    if place == pattern or any(mark in place for mark in "*?"):
        return found_by_pattern(db, state, pattern, most), False
    there = db.execute(
        text(
            "SELECT f.path FROM folders f WHERE f.project_id = :project AND lower(f.path) = lower(:path) AND EXISTS "
            "(SELECT 1 FROM folder_counts c WHERE c.folder = f.id AND c.slot = ANY(:slots))"
        ),
        {"project": state.project, "path": place, "slots": state.winning},
    )
    return tuple(row.path for row in there), True

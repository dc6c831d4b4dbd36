"""Folders of the merged view, level by level."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import text
from sqlalchemy.orm import Session

from pruxel.server.store.stack_state import StackState

_CHILDREN = text(
    """
    WITH shown AS (
        SELECT f.id, f.path FROM folders f
        WHERE f.project_id = :project
          AND f.parent = (SELECT id FROM folders WHERE project_id = :project AND path = :path)
          AND EXISTS (SELECT 1 FROM folder_counts c WHERE c.folder = f.id AND c.slot = ANY(:slots))
        ORDER BY f.path LIMIT :limit OFFSET :offset
    )
    SELECT f.path, sum(c.below) AS entries, sum(c.size) AS size, sum(c.below) > sum(c.files) AS deeper
    FROM shown f JOIN folder_counts c ON c.folder = f.id AND c.slot = ANY(:slots)
    GROUP BY f.id, f.path ORDER BY f.path
    """
)


@dataclass(frozen=True)
class FolderLine:
    """A folder with what lies below it; `deeper` when it has folders of its own."""

    path: str
    entries: int
    size: int
    deeper: bool
    alias: str


def children(db: Session, state: StackState, path: str, *, offset: int, limit: int) -> list[FolderLine]:
    """The folders directly in `path` (the top is an empty text) that hold something in the merged view."""
    values = {"slots": state.winning, "project": state.project, "path": path, "offset": offset, "limit": limit}
    rows = db.execute(_CHILDREN, values).all()
    names = state.folder_names
    return [FolderLine(r.path, int(r.entries), int(r.size), bool(r.deeper), names.get(r.path, "")) for r in rows]

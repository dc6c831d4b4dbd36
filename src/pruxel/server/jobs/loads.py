"""One source's entries into the database: new ones piece by piece, changed ones by their difference."""

from __future__ import annotations

import uuid
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from itertools import islice

from sqlalchemy import text
from sqlalchemy.orm import Session

from pruxel.core.base.context import Context
from pruxel.core.knowledge.known import Knowledge
from pruxel.core.sources.base import Listed
from pruxel.server.store.database import unhurried
from pruxel.server.store.loading import (
    COLUMNS,
    Loading,
    copy_entries,
    known_folders,
    load_alone,
    new_slot,
    recount,
    remove_entries,
    slots_of,
    store_counts,
    store_folders,
    walk_past,
)
from pruxel.server.store.tables import SourceRow

PARTIAL = "partial"
_PIECE = 200_000


@contextmanager
def locked(row: SourceRow) -> Iterator[tuple[Session, SourceRow | None]]:
    """A transaction in which nobody else loads into the project; the source as stored, None when it is gone."""
    with unhurried() as db:
        load_alone(db, row.project_id)
        yield db, db.get(SourceRow, row.id, with_for_update=True)


def load_new(
    row: SourceRow, stamp: str, known: Knowledge, entries: Sequence[Listed], context: Context
) -> Loading | None:
    """Load a source that nothing counts yet; None when it was unmounted meanwhile.

    Every piece is committed, with a note of how far it is. Who comes again with the same listing goes on from there;
    with another, from the start.
    """
    with locked(row) as (db, stored):
        if stored is None:
            return None
        note = stored.options.get(PARTIAL, {})
        loading = _loading(db, row, known)
    walk = iter(entries)
    if note and not (note["stamp"] == stamp and walk_past(loading, walk, note["rows"]) == note["digest"]):
        with locked(row) as (db, _):
            remove_entries(db, row.id)
            loading = _loading(db, row, known)
        walk = iter(entries)

    def told(rows: int) -> None:
        context.progress(0.9 * rows / max(len(entries), 1), f"{rows:,} of {len(entries):,} entries")

    while loading.met < len(entries):
        with locked(row) as (db, stored):
            if stored is None:
                return None
            loading.meet(known_folders(db, row.project_id))
            copy_entries(db, loading, islice(walk, _PIECE), told, "entries")
            store_folders(db, loading)
            note = {"stamp": stamp, "rows": loading.met, "digest": loading.digest.hexdigest()}
            stored.options = stored.options | {PARTIAL: note}
    return loading


def count_new(db: Session, loading: Loading, source: uuid.UUID) -> None:
    """Store the counts of what was loaded."""
    mine = slots_of(db, source)
    if len(mine) == 1:
        store_counts(db, loading)
    else:  # another source was settled meanwhile and has moved shared paths
        recount(db, mine)


def _loading(db: Session, row: SourceRow, known: Knowledge) -> Loading:
    variant_of = known.profile.variant_of if known.profile.spec.variants else None
    slot = new_slot(db, row.project_id, row.id, [str(row.id)])
    return Loading(row.project_id, slot, variant_of, folders=known_folders(db, row.project_id))


def load_difference(
    db: Session, row: SourceRow, known: Knowledge, entries: Sequence[Listed], context: Context
) -> Loading:
    """Load beside what is there, then move only what was added, removed or changed."""

    def told(rows: int) -> None:
        context.progress(0.7 * rows / max(len(entries), 1), f"{rows:,} of {len(entries):,} entries compared")

    loading = _loading(db, row, known)
    mine = slots_of(db, row.id)
    db.execute(text(f"CREATE TEMP TABLE listed ON COMMIT DROP AS SELECT {COLUMNS} FROM entries WHERE false"))
    copy_entries(db, loading, entries, told, "listed")
    db.execute(text("CREATE INDEX ON listed (path)"))
    db.execute(text("ANALYZE listed"))
    values = {"mine": mine, "project": loading.project}
    db.execute(text(_FOLLOW), values)
    db.execute(
        text(
            "DELETE FROM entries e WHERE e.slot = ANY(:mine) "
            "AND NOT EXISTS (SELECT 1 FROM listed l WHERE l.path = e.path)"
        ),
        values,
    )
    db.execute(
        text(
            "UPDATE entries e SET kind = l.kind, size = l.size, stored = l.stored, stamp = l.stamp, "
            "variant = l.variant, picture = NULL FROM listed l WHERE e.slot = ANY(:mine) AND l.path = e.path "
            "AND (e.kind, e.size, e.stored, e.stamp, e.variant) "
            "IS DISTINCT FROM (l.kind, l.size, l.stored, l.stamp, l.variant)"
        ),
        values,
    )
    db.execute(
        text(
            f"INSERT INTO entries ({COLUMNS}) SELECT {COLUMNS} FROM listed l WHERE NOT EXISTS "
            "(SELECT 1 FROM entries e WHERE e.slot = ANY(:mine) AND e.path = l.path)"
        ),
        values,
    )
    store_folders(db, loading)
    recount(db, mine)
    db.execute(text("DROP TABLE listed"))
    return loading


# A mark follows its content to the new path of the same size and stamp, when only one such path came.
_FOLLOW = """
    UPDATE marks m SET path = moved.path
    FROM (SELECT l.size, l.stamp, min(l.path) AS path FROM listed l
          WHERE NOT EXISTS (SELECT 1 FROM entries e WHERE e.slot = ANY(:mine) AND e.path = l.path)
          GROUP BY l.size, l.stamp HAVING count(*) = 1) moved
    WHERE m.project_id = :project AND NOT m.folder AND m.size = moved.size AND m.stamp = moved.stamp
      AND NOT EXISTS (SELECT 1 FROM listed l WHERE l.path = m.path)
      AND EXISTS (SELECT 1 FROM entries e WHERE e.slot = ANY(:mine) AND e.path = m.path)
      AND NOT EXISTS (SELECT 1 FROM marks o WHERE o.project_id = :project AND o.path = moved.path)
"""

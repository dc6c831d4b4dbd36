"""Mounting and reading again: find a place's sources, list each, and load only what is new or changed."""

from __future__ import annotations

import logging
import uuid
from collections.abc import Callable
from pathlib import Path
from typing import Any

from sqlalchemy import delete, func, select, text
from sqlalchemy.exc import OperationalError

from pruxel.core.base.context import Context
from pruxel.core.base.errors import CancelledError, Fault, InputError, PruxelError, unforeseen
from pruxel.core.disk.files import read_text
from pruxel.core.knowledge.profile_files import find_profiles
from pruxel.core.sources.base import problems_of
from pruxel.core.sources.open import Opened, open_address, stamp_of
from pruxel.core.sources.origin import split_address
from pruxel.core.sources.packs import UNNAMED, PackSource
from pruxel.server.jobs.loads import PARTIAL, count_new, load_difference, load_new, locked
from pruxel.server.jobs.pictures import draw_anew
from pruxel.server.jobs.queue import put_job, put_names_again
from pruxel.server.jobs.risk import Risk, at, left_alone
from pruxel.server.jobs.runner import job_kind
from pruxel.server.jobs.stacks import check_root, known_of, opened_anew
from pruxel.server.store.database import engine, session
from pruxel.server.store.jobs import tell
from pruxel.server.store.loading import remove_entries
from pruxel.server.store.projects import profile_of
from pruxel.server.store.recipes import checked_recipes, take_recipes
from pruxel.server.store.slots import settle
from pruxel.server.store.stack_state import LEAVING, READY, touch
from pruxel.server.store.tables import WORD_INDEX, Job, Project, SourceRow

log = logging.getLogger("pruxel.scan")
_MANY = 100_000
_MOST_SECONDS = 4 * 3600.0
_MOST_PROBLEMS = 500


@job_kind("scan")
def scan(job: Job, context: Context) -> None:
    """Read a mounted place, or one source again. What is loaded stays when this is stopped, and is gone on from."""
    mount = str(job.payload["mount"])
    check_root(split_address(mount)[0])
    if not job.payload.get("source"):
        adopt_profile(job.project_id, Path(mount))
        register(job.project_id, mount, context)
    force = bool(job.payload.get("force"))
    with session() as db:
        rows = list(
            db.execute(
                select(SourceRow)
                .where(SourceRow.project_id == job.project_id, SourceRow.mount == mount)
                .order_by(SourceRow.position)
            ).scalars()
        )
    if job.payload.get("source"):
        rows = [r for r in rows if str(r.id) == job.payload["source"]]
    check = left_alone(job.project_id)
    for row, part in context.each(rows, lambda r: r.label):
        _contained(row, part, check, force=force)
    finished(job.project_id)


def _contained(row: SourceRow, context: Context, check: Callable[[Risk], None], *, force: bool) -> None:
    """Read one source; whatever it throws becomes its problem, and the others are read all the same."""
    risk = Risk("source", row.address, stamp_of(row.address), _MOST_SECONDS)
    try:
        check(risk)
        with at(risk):
            read_source(row, context, force=force)
    except (CancelledError, OperationalError):
        raise
    except Exception as error:
        log.exception("reading %s failed", row.label)
        _failed(row, _fault_of(error, row), stamp_of(row.address))


def _fault_of(error: Exception, row: SourceRow) -> Fault:
    return error.fault if isinstance(error, PruxelError) else unforeseen(error, row.label).fault


def finished(project: uuid.UUID) -> None:
    """Let everybody know, and start what follows from new entries."""
    with session() as db:
        draw_anew(db, project)
        put_names_again(db, project)
        tell(db, {"changed": "sources", "project_id": str(project)})


def adopt_profile(project: uuid.UUID, mount: Path) -> None:
    """A project without a profile takes the one that lies in the folder."""
    with session() as db:
        found = db.get_one(Project, project)
        if found.profile.strip() or not mount.is_dir():
            return
        own = find_profiles(mount)
        if own:
            found.profile, found.profile_home = read_text(own[0]), str(mount)
            take_recipes(db, project, checked_recipes(profile_of(found).profile.spec.recipes))
            touch(db, project)


def register(project: uuid.UUID, mount: str, context: Context) -> None:
    """Rows for the sources of a place: known ones stay where the person put them, new ones come on top."""
    with session() as db:
        revision = db.get_one(Project, project).revision
        known = known_of(project, revision)
        opened = open_address(mount, known, context)
        there = {
            s.address: s
            for s in db.execute(
                select(SourceRow).where(SourceRow.project_id == project, SourceRow.mount == mount)
            ).scalars()
        }
        wanted = {o.address for o in opened}
        for address, row in list(there.items()):
            # What was unmounted a moment ago comes back as new, in its old place.
            if row.state == LEAVING or (address not in wanted and row.kind != "carved"):
                remove_entries(db, row.id)
                db.execute(delete(SourceRow).where(SourceRow.id == row.id))
                db.expunge(row)
                del there[address]
        top = db.execute(select(func.max(SourceRow.position)).where(SourceRow.project_id == project)).scalar()
        next_place = (-1 if top is None else top) + 1
        found = db.get_one(Project, project)
        before = dict(found.places)
        for one in opened:
            if one.address in there:
                there[one.address].kind = one.source.kind
                continue
            old = before.pop(one.address, None)
            db.add(_row(project, mount, one, next_place if old is None else old))
            next_place += old is None
        found.places = before
        if found.language is None:
            found.language = next(iter(known.profile.spec.languages()), None)
        touch(db, project)
        tell(db, {"changed": "sources", "project_id": str(project)})


def _row(project: uuid.UUID, mount: str, one: Opened, position: int) -> SourceRow:
    return SourceRow(
        project_id=project,
        mount=mount,
        address=one.address,
        label=one.source.label,
        kind=one.source.kind,
        position=position,
        layer=one.layer,
        language=one.language,
        state="waiting",
        problems=[],
        options={},
    )


def read_source(row: SourceRow, context: Context, *, force: bool) -> None:
    """List one source and load it. One that is as it was costs nothing; of a changed one only the difference moves.

    One at a time for each source: who comes later knows more.
    """
    with session() as gate:
        gate.execute(text("SELECT pg_advisory_xact_lock(hashtext(:source))"), {"source": str(row.id)})
        current = gate.get(SourceRow, row.id)
        if current is not None:
            gate.expunge(current)
            _read_source(current, context, force=force)


def _read_source(row: SourceRow, context: Context, *, force: bool) -> None:
    stamp = stamp_of(row.address)
    with session() as db:
        revision = db.get_one(Project, row.project_id).revision
    if row.state == READY and row.stamp == stamp and stamp != "folder" and not force:
        return
    known = known_of(row.project_id, revision)
    try:
        source = opened_anew(row, known, context)
        listing = source.listing(context)
        problems = problems_of(source, listing)
    except InputError as error:
        _failed(row, error.fault, stamp)
        return
    hashed = named = 0
    if isinstance(source, PackSource) and source.layout.yields.get("entries", {}).get("hash"):
        hashed = len(source.paths)
        named = sum(not path.startswith(f"{UNNAMED}/") for path in source.paths)
    if len(listing.entries) >= _MANY and row.state != READY:
        with session() as db:  # a word index that grows along makes a large load several times slower
            db.execute(text("DROP INDEX IF EXISTS entries_by_word"))
    fresh = row.state != READY
    loaded = load_new(row, stamp, known, listing.entries, context) if fresh else None
    with locked(row) as (db, stored):
        if stored is None or (fresh and loaded is None):
            return
        if loaded is not None:
            count_new(db, loaded, row.id)
        loading = loaded or load_difference(db, row, known, listing.entries, context)
        settle(db, row.project_id, row.id)
        stored.options = {name: value for name, value in stored.options.items() if name != PARTIAL}
        stored.state, stored.stamp, stored.kind = READY, stamp, source.kind
        stored.entries, stored.size = loading.rows, loading.size
        stored.named, stored.hashed = named, hashed
        stored.problems = _told([*problems, *loading.left_out()])
        touch(db, row.project_id)
        tell(db, {"changed": "sources", "project_id": str(row.project_id)})
    if loading.rows >= _MANY and fresh:
        _index_later(row.project_id)


def _failed(row: SourceRow, fault: Fault, stamp: str) -> None:
    with session() as db:
        stored = db.get(SourceRow, row.id, with_for_update=True)
        if stored is None:
            return
        if stored.state == READY:
            remove_entries(db, row.id)
        stored.state, stored.stamp, stored.entries, stored.size = "failed", stamp, 0, 0
        stored.problems = _told([fault])
        touch(db, row.project_id)
        tell(db, {"changed": "sources", "project_id": str(row.project_id)})


def _told(problems: list[Fault]) -> list[dict[str, Any]]:
    rows = [p.as_dict() | {"line": p.line()} for p in problems[:_MOST_PROBLEMS]]
    if len(problems) > _MOST_PROBLEMS:
        rows.append({"code": "over-budget", "line": f"and {len(problems) - _MOST_PROBLEMS:,} more of the kind"})
    return rows


def _index_later(project: uuid.UUID) -> None:
    with session() as db:
        put_job(db, project, "index", "Making word search quick", {"key": "words"})


@job_kind("index")
def index(_job: Job, context: Context) -> None:
    """Build the word index after a large load, without standing in anybody's way; until then search reads along."""
    context.progress(0.1, "building the word index")
    with engine().connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
        broken = connection.execute(text("SELECT 1 FROM pg_index WHERE NOT indisvalid")).first()
        if broken is not None:
            connection.execute(text("DROP INDEX IF EXISTS entries_by_word"))
        connection.execute(text("SET maintenance_work_mem = '512MB'"))
        connection.execute(text(WORD_INDEX.format("CONCURRENTLY IF NOT EXISTS")))
        # Deep pages are read from the indexes alone, which a vacuum allows.
        connection.execute(text("VACUUM (ANALYZE) entries"))


@job_kind("forget")
def forget(job: Job, _context: Context) -> None:
    """Take the rows of an unmounted source out, when nobody looks at them any more."""
    with session() as db:
        source = uuid.UUID(job.payload["source"])
        remove_entries(db, source)
        db.execute(delete(SourceRow).where(SourceRow.id == source))

"""Names for hashes: harvest them from the game, and take in lists."""

from __future__ import annotations

import uuid
from collections.abc import Iterator

import numpy as np
from sqlalchemy import select

from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.base.limits import Limits
from pruxel.core.knowledge.harvest import Won, harvest, paths_in
from pruxel.core.knowledge.name_lists import NameList, parse_names
from pruxel.core.sources.packs import PackSource
from pruxel.server.jobs.risk import at, left_alone, risk_of
from pruxel.server.jobs.runner import job_kind
from pruxel.server.jobs.scan import finished, read_source
from pruxel.server.jobs.stacks import StoredStack, open_source, stored_stack
from pruxel.server.store.blobs import get_blob, put_blob
from pruxel.server.store.database import session
from pruxel.server.store.jobs import change_job, tell
from pruxel.server.store.rows import put_row
from pruxel.server.store.stack_state import touch
from pruxel.server.store.tables import EntryRow, Glance, Job, NameListRow, SourceRow

_READABLE = ("material", "model", "level", "table", "text", "unknown")
_MOST_READ = 20_000
_MOST_SHOWN = 500
_MOST_SECONDS = 180.0


def store_names(project: uuid.UUID, label: str, data: bytes) -> tuple[uuid.UUID, NameList]:
    """Keep a list of paths with the project; one of the same label is replaced. Raises `InputError`."""
    names = parse_names(data, label, Limits())
    blob = uuid.uuid4().hex
    put_blob(blob, data)
    with session() as db:
        wanted = (NameListRow.project_id == project, NameListRow.label == label)
        row = db.execute(select(NameListRow).where(*wanted)).scalar_one_or_none()
        if row is None:
            row = NameListRow(project_id=project, label=label)
            db.add(row)
        row.blob, row.names, row.dropped = blob, len(names), names.dropped
        db.flush()
        touch(db, project)
        tell(db, {"changed": "names", "project_id": str(project)})
        return row.id, names


def hashed_packs(stack: StoredStack, context: Context) -> Iterator[tuple[SourceRow, PackSource]]:
    """The packs that keep hashes of paths, opened."""
    for row in stack.state.sources:
        if not row.hashed:
            continue
        source = open_source(row, stack.knowledge, stack.state.revision, context)
        if isinstance(source, PackSource):
            yield row, source


@job_kind("rename")
def rename(job: Job, context: Context) -> None:
    """Read packs of hashes again after names came or went."""
    stack = stored_stack(job.project_id)
    rows = [row for row in stack.state.sources if row.hashed]
    for row, part in context.each(rows, lambda r: r.label):
        read_source(row, part, force=True)
    finished(job.project_id)


@job_kind("harvest")
def harvest_job(job: Job, context: Context) -> None:
    """Win names from what the game's own entries mention, keep them as a list, show them."""
    stack = stored_stack(job.project_id)
    packs = list(hashed_packs(stack, context))
    texts = _mentioned(stack, context.part(0.0, 0.5))
    won: dict[str, Won] = {}
    nameless = 0
    for (_, pack), part in context.part(0.5, 0.9).each(packs, lambda p: p[0].label):
        unknown = pack.unknown_hashes()
        nameless += len(unknown)
        rules = pack.hashing
        if not len(unknown) or rules is None:
            continue
        known = [path for path in pack.paths if not path.startswith("~")]
        won |= {w.name: w for w in harvest(lambda: texts, known, rules, np.asarray(unknown), part)}
    if won:
        data = _with_earlier(job.project_id, sorted(won))
        store_names(job.project_id, "harvested", data)
        for row, _ in packs:
            read_source(row, context.part(0.9, 1.0), force=True)
        finished(job.project_id)
    shown = [{"name": w.name, "how": w.how} for w in sorted(won.values(), key=lambda w: w.name)[:_MOST_SHOWN]]
    with session() as db:
        content = {"won": shown, "number": len(won)}
        put_row(db, Glance, {"key": job.id.hex, "project_id": job.project_id, "content": content})
        change_job(db, job.id, payload=job.payload | {"number": len(won), "unknown": nameless})


def _with_earlier(project: uuid.UUID, names: list[str]) -> bytes:
    with session() as db:
        wanted = (NameListRow.project_id == project, NameListRow.label == "harvested")
        row = db.execute(select(NameListRow).where(*wanted)).scalar_one_or_none()
    earlier = get_blob(row.blob).decode().splitlines() if row is not None else []
    return ("\n".join(sorted({*names, *earlier})) + "\n").encode()


def _mentioned(stack: StoredStack, context: Context) -> set[str]:
    with session() as db:
        wanted = (EntryRow.slot.in_(stack.state.winning), EntryRow.kind.in_(_READABLE), EntryRow.size < 32 << 20)
        rows = list(db.execute(select(EntryRow).where(*wanted).order_by(EntryRow.kind).limit(_MOST_READ)).scalars())
    found: set[str] = set()
    check = left_alone(stack.state.project)
    for row, part in context.each(rows, lambda r: r.path):
        found.add(row.path)
        risk = risk_of(row, _MOST_SECONDS)
        try:
            check(risk)
            with at(risk):
                found |= paths_in(stack.read_row(row, part))
        except InputError:
            continue
    return found

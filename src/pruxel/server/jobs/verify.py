"""Read every entry of a source and tell which are damaged; and find out which entries mention which."""

from __future__ import annotations

import logging
import uuid

from sqlalchemy import delete, select
from sqlalchemy.exc import OperationalError

from pruxel.core.base.context import Context
from pruxel.core.base.errors import CancelledError, Fault, InputError, unforeseen
from pruxel.core.recipe.inputs import Opener
from pruxel.server.jobs.risk import at, left_alone, risk_of
from pruxel.server.jobs.runner import job_kind
from pruxel.server.jobs.stacks import stored_stack
from pruxel.server.store.database import session
from pruxel.server.store.jobs import change_job, tell
from pruxel.server.store.tables import EntryRow, Job, Reference, SourceRow

log = logging.getLogger("pruxel.verify")
_MOST_PROBLEMS = 500
_MOST_SECONDS = 600.0
_PAGE = 2000
_MENTIONING = ("model", "material", "level")


@job_kind("verify")
def verify(job: Job, context: Context) -> None:
    """Unpack every entry of one source; checksums that differ become problems of the source."""
    stack = stored_stack(job.project_id)
    source = uuid.UUID(job.payload["source"])
    slots = [slot.id for slot in stack.state.slots if slot.source == source]
    total = sum(s.entries for s in stack.state.sources if s.id == source)
    faults, done, last = list[Fault](), 0, 0
    check = left_alone(job.project_id)
    while True:
        with session() as db:
            wanted = select(EntryRow).where(EntryRow.slot.in_(slots), EntryRow.id > last).order_by(EntryRow.id)
            rows = list(db.execute(wanted.limit(_PAGE)).scalars())
        if not rows:
            break
        for row in rows:
            context.progress(done / max(total, 1), f"{done:,} of {total:,}, {len(faults):,} damaged")
            done += 1
            risk = risk_of(row, _MOST_SECONDS)
            try:
                check(risk)
                with at(risk):
                    stack.read_row(row, context)
            except InputError as error:
                faults.append(error.fault)
            except (CancelledError, OperationalError):
                raise
            except Exception as error:
                log.exception("verifying %s failed", row.path)
                faults.append(unforeseen(error, row.path).fault)
        last = rows[-1].id
    with session() as db:
        stored = db.get_one(SourceRow, source, with_for_update=True)
        kept = [p for p in stored.problems if not p.get("verified")]
        stored.problems = kept + [f.as_dict() | {"line": f.line(), "verified": True} for f in faults[:_MOST_PROBLEMS]]
        change_job(db, job.id, payload=job.payload | {"checked": done, "damaged": len(faults)})
        tell(db, {"changed": "sources", "project_id": str(job.project_id)})


@job_kind("references")
def references(job: Job, context: Context) -> None:
    """Read what models, materials and levels mention, and resolve each name through the stack."""
    stack = stored_stack(job.project_id)
    opened = Opener(stack)
    with session() as db:
        wanted = (EntryRow.slot.in_(stack.state.winning), EntryRow.kind.in_(_MENTIONING))
        entries = list(db.execute(select(EntryRow).where(*wanted).order_by(EntryRow.path)).scalars())
    rows: list[Reference] = []
    check = left_alone(job.project_id)
    for entry, part in context.each(entries, lambda e: e.path):
        silent, risk = Context(cancelled=part.cancelled, limits=part.limits), risk_of(entry, _MOST_SECONDS)
        try:
            check(risk)
            with at(risk):
                names = opened.mentions(entry.path, silent)
        except InputError:
            continue
        except (CancelledError, OperationalError):
            raise
        except Exception:
            log.exception("looking for what %s mentions failed", entry.path)
            continue
        for name in names:
            found = stack.resolve(name, entry.path)
            target, near = found.path, list(found.near)
            rows.append(Reference(project_id=job.project_id, path=entry.path, name=name, target=target, near=near))
    with session() as db:
        db.execute(delete(Reference).where(Reference.project_id == job.project_id))
        db.add_all(rows)
        tell(db, {"changed": "references", "project_id": str(job.project_id)})

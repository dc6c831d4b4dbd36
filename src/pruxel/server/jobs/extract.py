"""Raw extraction: the bytes of chosen entries into a folder; can pause, and goes on after a restart."""

from __future__ import annotations

import logging
import shutil
import time
import uuid
from collections.abc import Iterator
from itertools import islice
from pathlib import Path
from typing import Any

from sqlalchemy import select

from pruxel.core.base.context import Context
from pruxel.core.base.errors import CancelledError, ErrorCode, InputError, unforeseen
from pruxel.core.base.writing import cannot_write, make_folder, stops_everything, write_below
from pruxel.core.disk.files import steady
from pruxel.core.disk.names import Places, safe_path
from pruxel.core.images import png
from pruxel.core.images.decode import decode_image
from pruxel.core.native.threads import made_ahead
from pruxel.core.recipe.inputs import Opener
from pruxel.server.jobs.risk import at, left_alone, risk_of
from pruxel.server.jobs.runner import job_kind
from pruxel.server.jobs.stacks import StoredStack, stored_stack
from pruxel.server.settings import settings
from pruxel.server.store.conditions import Query
from pruxel.server.store.database import reading, session
from pruxel.server.store.jobs import change_job
from pruxel.server.store.search import page
from pruxel.server.store.tables import EntryRow, Job

log = logging.getLogger("pruxel.extract")
_PAGE = 500
_MOST_FAULTS = 200
_SPARE = 256 << 20
_PIECE = 4 << 20
_MOST_SECONDS = 600.0


def chosen_rows(stack: StoredStack, payload: dict[str, Any]) -> Iterator[EntryRow]:
    """The entries that a selection means, in a fixed order: paths of the tray, or a search.

    The winning version of each; all of them, or for some paths that of another source, if asked.
    """
    every, choices = payload.get("versions") == "all", payload.get("choices") or {}
    winning = set(stack.state.winning)
    slots = stack.state.every if every or choices else stack.state.winning

    def wanted_one(row: EntryRow) -> bool:
        chosen = choices.get(row.path)
        return row.slot in winning if chosen is None else str(stack.state.by_slot[row.slot].source) == chosen

    for paths in _paths(stack, payload):
        with session() as db:
            wanted = select(EntryRow).where(EntryRow.slot.in_(slots), EntryRow.path.in_(paths))
            rows = list(db.execute(wanted).scalars())
        rows.sort(key=lambda r: (r.path, -stack.state.rank_of(r.slot)))
        yield from rows if every else filter(wanted_one, rows)


def _paths(stack: StoredStack, payload: dict[str, Any]) -> Iterator[list[str]]:
    if payload.get("paths"):
        wanted = sorted(set(payload["paths"]))
        for at in range(0, len(wanted), _PAGE):
            yield wanted[at : at + _PAGE]
        return
    query = Query(**payload["query"])
    after: str | None = None
    while True:
        with reading() as db:
            rows = page(db, stack.state, query, offset=0, limit=_PAGE, after=after)
        if not rows:
            return
        yield [row.path for row in rows]
        after = rows[-1].path


def target_name(row: EntryRow, stack: StoredStack, payload: dict[str, Any], places: Places, *, first: bool) -> str:
    """Where an entry goes: with its folders, flat, or without a leading part; a lower version says whose it is."""
    path = safe_path(row.path)
    shape, prefix = payload.get("shape", "keep"), str(payload.get("prefix", "")).strip("/")
    if shape == "flat":
        path = path.rsplit("/", 1)[-1]
    elif shape == "strip" and prefix and path.startswith(f"{prefix}/"):
        path = path[len(prefix) + 1 :]
    if not first:
        stem, dot, ending = path.rpartition(".")
        label = safe_path(stack.source_row(row.slot).label).rsplit(".", 1)[0]
        path = f"{stem}~{label}{dot}{ending}" if dot else f"{path}~{label}"
    return places.take(path)


def named_rows(stack: StoredStack, payload: dict[str, Any]) -> Iterator[tuple[EntryRow, str]]:
    """Every chosen entry with its place below the folder."""
    places = Places()
    last = ""
    for row in chosen_rows(stack, payload):
        yield row, target_name(row, stack, payload, places, first=row.path != last)
        last = row.path


@job_kind("extract")
def extract(job: Job, context: Context) -> None:
    """Write entry by entry; how far it is stands with the job, so that it goes on where it stopped."""
    stack = stored_stack(job.project_id)
    payload = dict(job.payload)
    folder = Path(payload["folder"])
    make_folder(folder)
    done = int(payload.get("done", 0))
    written = int(payload.get("written", 0))
    total, total_bytes = int(payload["total"]), int(payload["bytes"])
    faults = list(payload.get("faults", []))
    before_now = int(payload.get("failed", 0)) - len(faults)
    careful, check = bool(payload.get("careful")), left_alone(job.project_id)
    _check_space(folder, total_bytes - written)
    opened = Opener(stack) if payload.get("png") else None
    start, before = time.monotonic(), written

    def read(item: tuple[EntryRow, str]) -> tuple[EntryRow, str, memoryview | InputError]:
        try:
            if not careful:
                return *item, stack.read_row(item[0], Context(cancelled=context.cancelled, limits=context.limits))
            risk = risk_of(item[0], _MOST_SECONDS)
            check(risk)
            with at(risk):
                return *item, stack.read_row(item[0], Context(cancelled=context.cancelled, limits=context.limits))
        except InputError as error:
            return *item, error
        except CancelledError:
            raise
        except Exception as error:
            log.exception("reading %s failed", item[0].path)
            return *item, unforeseen(error, item[0].path)

    ahead = islice(named_rows(stack, payload), done, None)
    try:
        for row, name, data in map(read, ahead) if careful else made_ahead(ahead, read):
            words = _pace(done, total, written, total_bytes, written - before, time.monotonic() - start)
            context.progress(min(max(written / max(total_bytes, 1), done / max(total, 1)), 1.0), words)
            if isinstance(data, InputError):
                faults.append(data.fault.line())
            else:
                written += _write(row, data, folder, name, faults, context, opened)
            done += 1
    finally:
        _keep(job.id, done, written, faults, before_now + len(faults))


def _keep(number: uuid.UUID, done: int, written: int, faults: list[str], failed: int) -> None:
    """Note how far it is, and the first reasons of the `failed` that could not be written.

    What else was said of the job meanwhile (that it should pause, say) stays.
    """
    with session() as db:
        stored = db.get_one(Job, number, with_for_update=True)
        how_far = {"done": done, "written": written, "failed": failed, "faults": faults[:_MOST_FAULTS]}
        change_job(db, number, payload=stored.payload | how_far)


def _pace(done: int, total: int, written: int, total_bytes: int, lately: int, seconds: float) -> str:
    """How far it is, how fast it goes and how long it will take."""
    words = f"{done:,} of {total:,} files, {written / 1e6:,.1f} MB"
    if seconds < 0.5 or not lately:
        return words
    rate = lately / seconds
    return f"{words}, {rate / 1e6:,.1f} MB/s, {max(total_bytes - written, 0) / rate:,.0f} s left"


def _write(
    row: EntryRow,
    data: memoryview,
    folder: Path,
    name: str,
    faults: list[str],
    context: Context,
    as_png: Opener | None,
) -> int:
    """Write one entry; returns the bytes written. What is the matter with it alone is told in `faults`."""
    try:
        size = write_below(folder, name, _pieces(data, context))
        if as_png is not None and row.kind == "texture":
            picture = as_png.pictured(data, row.path, context)
            write_below(folder, f"{name}.png", [png.encode(decode_image(picture, row.path, context.limits).rgba)])
    except InputError as error:
        faults.append(error.fault.line())
        return 0
    except OSError as error:
        if stops_everything(error):
            raise cannot_write(error, folder) from error
        faults.append(cannot_write(error, name).fault.line())
        return 0
    return size


def _pieces(data: memoryview, context: Context) -> Iterator[memoryview]:
    """An entry's bytes a stretch at a time: a file that shrinks meanwhile is told of by `steady`."""
    for first in range(0, len(data), _PIECE):
        context.check()
        yield steady(data[first : first + _PIECE])


def _check_space(folder: Path, wanted: int) -> None:
    free = shutil.disk_usage(folder).free
    if wanted + _SPARE > free:
        raise InputError(
            ErrorCode.NO_SPACE,
            "there is not enough room on the disk",
            file=str(folder),
            expected=f"{wanted + _SPARE:,} bytes free",
            found=f"{free:,}",
            hint="Choose less, or make room and resume.",
        )


def extract_folder(name: str, job: uuid.UUID) -> Path:
    """The folder of one extraction; a name with slashes makes folders, all below our own."""
    return settings().extracts / f"{safe_path(name)}-{str(job)[:8]}"

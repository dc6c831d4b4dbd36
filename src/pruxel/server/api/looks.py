"""Quick looks: what there is to see of an entry, by its kind."""

from __future__ import annotations

from functools import lru_cache
from typing import Annotated, Literal
from uuid import UUID

import numpy as np
from fastapi import APIRouter, Query, Response
from sqlalchemy import select

from pruxel.core.base.arrays import AnyArray
from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.base.limits import Limits
from pruxel.core.images import dds, png
from pruxel.core.images.decode import decode_image
from pruxel.core.recipe.inputs import Opener
from pruxel.core.sources.catalogue import read_rows
from pruxel.server.api.browse_models import (
    ChannelOut,
    GlanceFacts,
    GlanceOut,
    LevelLook,
    LookOut,
    MaterialLook,
    NeedsOut,
    ReferenceOut,
    ReferencesOut,
    TableLook,
    TextureLook,
)
from pruxel.server.api.entries import stored_entry
from pruxel.server.api.models import JobOut
from pruxel.server.api.problems import not_found
from pruxel.server.jobs.glance import glance_key
from pruxel.server.jobs.queue import put_job, send
from pruxel.server.jobs.stacks import StoredStack, at_source
from pruxel.server.store.blobs import has_blob
from pruxel.server.store.database import session
from pruxel.server.store.jobs import job_event
from pruxel.server.store.tables import EntryRow, Job, Reference

router = APIRouter(tags=["looks"])
_MOST_ROWS = 400
_MOST_TEXT = 1 << 16
_MOST_POINTS = 20_000
_DEEPEST = 6
Channel = Literal["rgb", "rgba", "r", "g", "b", "a"]


@router.get("/entries/{entry}/look")
def look(entry: int) -> LookOut:
    """What can be shown of an entry at once; a scene (model, skeleton, clips) comes by a job, whose id is `glance`."""
    row, stack = stored_entry(entry)
    try:
        return _look(row, stack)
    except InputError as error:
        return LookOut(kind=row.kind, problem=error.fault.line())


def _look(row: EntryRow, stack: StoredStack) -> LookOut:
    context = Context()
    path = _pinned(row, stack)
    match row.kind:
        case "texture":
            return LookOut(kind=row.kind, texture=_texture(row, stack))
        case "model" | "skeleton" | "clips":
            return LookOut(kind=row.kind, glance=_glance(row, stack))
        case "material":
            return LookOut(kind=row.kind, material=_material(path, stack))
        case "level":
            level = Opener(stack).level(path, context)
            step = max(1, len(level.model) // _MOST_POINTS)
            points = [
                (int(m), round(float(p[0]), 2), round(float(p[2]), 2))
                for m, p in zip(level.model[::step].tolist(), level.positions[::step], strict=True)
            ]
            counts = list(level.counts().values())
            return LookOut(kind=row.kind, level=LevelLook(models=list(level.models), counts=counts, points=points))
        case "table":
            rows = read_rows(stack.read_row(row, context), row.path)
            columns = list(rows[0]) if rows else []
            shown = [[line.get(c, "") for c in columns] for line in rows[:_MOST_ROWS]]
            return LookOut(kind=row.kind, table=TableLook(columns=columns, rows=shown, total=len(rows)))
        case "text":
            data = bytes(stack.read_row(row, context)[:_MOST_TEXT])
            return LookOut(kind=row.kind, text=data.decode("utf-8", "replace"))
    return LookOut(kind=row.kind)


def _pinned(row: EntryRow, stack: StoredStack) -> str:
    """The path by which this version is read, whichever wins."""
    if row.slot in stack.state.winning:
        return row.path
    return at_source(stack.state.by_slot[row.slot].source, row.path)


@lru_cache(maxsize=12)
def _decoded(entry: int, stamp: int, revision: int) -> tuple[AnyArray, str, int, bool]:
    """The texels of a texture, kept while it is looked at."""
    del stamp, revision
    row, stack = stored_entry(entry)
    pixels = decode_image(stack.read_row(row, Context()), row.path)
    info = pixels.info
    return pixels.rgba, info.encoding, info.mips, info.has_alpha


def _texture(row: EntryRow, stack: StoredStack) -> TextureLook:
    rgba, encoding, mips, has_alpha = _decoded(row.id, row.stamp, stack.state.revision)
    channels = [
        ChannelOut(
            name=name,
            least=int(rgba[..., n].min()),
            most=int(rgba[..., n].max()),
            mean=round(float(rgba[..., n].mean()), 1),
        )
        for n, name in enumerate("RGBA")
    ]
    height, width = rgba.shape[:2]
    return TextureLook(
        width=width,
        height=height,
        encoding=encoding,
        mips=mips,
        has_alpha=has_alpha,
        role=stack.profile.role_of(row.path),
        channels=channels,
    )


@router.get("/entries/{entry}/texture", response_class=Response)
def texture_picture(entry: int, channel: Channel = "rgba", level: Annotated[int, Query(ge=0, le=16)] = 0) -> Response:
    """A texture as PNG: all channels, colours without alpha, or one channel as grey; smaller by powers of two."""
    row, stack = stored_entry(entry)
    rgba, _, mips, _ = _decoded(row.id, row.stamp, stack.state.revision)
    data = stack.read_row(row, Context()) if level else memoryview(b"")
    if level and bytes(data[:4]) == dds.MAGIC and level < mips:
        rgba = dds.decode(data, row.path, Limits(), level).rgba
    else:
        for _ in range(level):
            rgba = _halved(rgba)
    if channel == "rgb":
        rgba = rgba[..., :3]
    elif channel != "rgba":
        rgba = np.repeat(rgba[..., "rgba".index(channel), None], 3, axis=2)
    return Response(png.encode(np.ascontiguousarray(rgba)), media_type="image/png")


def _halved(rgba: AnyArray) -> AnyArray:
    h, w = max(rgba.shape[0] // 2, 1), max(rgba.shape[1] // 2, 1)
    four = rgba[: h * 2, : w * 2] if min(rgba.shape[:2]) > 1 else rgba
    if min(rgba.shape[:2]) <= 1:
        return four[:h, :w]
    mean = four.reshape(h, 2, w, 2, 4).mean(axis=(1, 3))
    return mean.round().astype(np.uint8)


def _material(path: str, stack: StoredStack) -> MaterialLook:
    opened = Opener(stack)
    found = opened.material(path, Context()).material
    slots = []
    for name in opened.mentions(path, Context()):
        resolved = stack.resolve(name, path)
        slots.append(ReferenceOut(name=name, path=resolved.path, near=list(resolved.near)))
    values = [
        ("base colour", " ".join(f"{c:.2f}" for c in found.base_color)),
        ("metallic", f"{found.metallic:g}"),
        ("roughness", f"{found.roughness:g}"),
        ("emission", " ".join(f"{c:.2f}" for c in found.emissive)),
        (
            "alpha",
            found.alpha_mode.lower() + (f", cut at {found.alpha_cutoff:g}" if found.alpha_mode == "MASK" else ""),
        ),
        ("both sides", "yes" if found.double_sided else "no"),
    ]
    return MaterialLook(name=found.name, values=values, slots=slots, missing=[u.name for u in found.unresolved])


def _glance(row: EntryRow, stack: StoredStack) -> UUID:
    key = glance_key(stack, row)
    project = stack.state.project
    with session() as db:
        done = db.execute(
            select(Job)
            .where(Job.project_id == project, Job.kind == "glance", Job.payload["key"].astext == key)
            .order_by(Job.created.desc())
            .limit(1)
        ).scalar_one_or_none()
        if done is not None and (done.status in {"queued", "running"} or _shown(done)):
            return done.id
        payload = {"key": key, "path": _pinned(row, stack), "kind": row.kind, "entry": row.id}
        job = put_job(db, project, "glance", f"Looking at {row.path.rsplit('/', 1)[-1]}", payload)
    send(job)
    return job.id


def _shown(job: Job) -> bool:
    """Whether what a quick look found is still stored."""
    scene = job.payload.get("scene")
    return "facts" in job.payload and (scene is None or has_blob(scene))


@router.get("/glances/{job}")
def get_glance(job: UUID) -> GlanceOut:
    """How a quick look at a model, a skeleton or clips stands."""
    with session() as db:
        found = db.get(Job, job)
    if found is None or found.kind != "glance":
        raise not_found("quick look")
    facts = found.payload.get("facts")
    problem = None if found.fault is None else str(found.fault.get("message", ""))
    return GlanceOut(
        status=found.status,
        scene=found.payload.get("scene"),
        facts=None if facts is None else GlanceFacts.model_validate(facts),
        problem=problem,
    )


@router.get("/entries/{entry}/references")
def list_references(entry: int) -> ReferencesOut:
    """What an entry mentions, resolved now, and who mentions it, as far as the game was read through."""
    row, stack = stored_entry(entry)
    path = _pinned(row, stack)
    uses = []
    try:
        for name in Opener(stack).mentions(path, Context()):
            found = stack.resolve(name, path)
            uses.append(ReferenceOut(name=name, path=found.path, near=list(found.near)))
    except InputError:
        uses = []
    with session() as db:
        wanted = (Reference.project_id == stack.state.project, Reference.target == row.path)
        users = db.execute(select(Reference.path).where(*wanted).distinct().order_by(Reference.path).limit(200))
        return ReferencesOut(uses=uses, used_by=list(users.scalars()))


@router.post("/projects/{project}/references", status_code=202)
def read_references(project: UUID) -> JobOut:
    """Read the whole game through and note who mentions whom."""
    with session() as db:
        job = put_job(db, project, "references", "Following references", {"key": "references"})
    send(job)
    return JobOut.model_validate(job_event(job))


@router.get("/entries/{entry}/needs")
def list_needs(entry: int) -> NeedsOut:
    """An entry with everything it mentions, and what that mentions; names that lead nowhere apart."""
    row, stack = stored_entry(entry)
    opened = Opener(stack)
    paths, missing, size = [row.path], list[str](), row.size
    ahead = [(row.path, 0)]
    while ahead:
        path, depth = ahead.pop(0)
        try:
            names = opened.mentions(path, Context()) if depth < _DEEPEST else []
        except InputError:
            continue
        for name in names:
            found = stack.resolve(name, path)
            if found.path is None:
                missing.append(name)
            elif found.path not in paths:
                paths.append(found.path)
                other = stack.row(found.path)
                size += 0 if other is None else other.size
                ahead.append((found.path, depth + 1))
    return NeedsOut(paths=paths, size=size, missing=sorted(set(missing)))

"""Pictures of models and textures for the list, cached by content."""

from __future__ import annotations

import hashlib
import uuid

import numpy as np
from sqlalchemy import select, update
from sqlalchemy.orm import Session

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.extract.clips import extent_of
from pruxel.core.extract.level import Level
from pruxel.core.formats.gltf import write_glb
from pruxel.core.images import png
from pruxel.core.images.decode import decode_image
from pruxel.core.pictures.bones import visible
from pruxel.core.pictures.render import View, render
from pruxel.core.recipe.inputs import Opener
from pruxel.core.scene.digest import digest
from pruxel.core.scene.model import Scene
from pruxel.core.scene.pose import posed, stiff
from pruxel.core.scene.walk import parts
from pruxel.core.sources.kinds import DRAWN
from pruxel.core.sources.names import safe_part
from pruxel.server.jobs.playing import played
from pruxel.server.jobs.queue import put_job, send
from pruxel.server.jobs.runner import job_kind
from pruxel.server.jobs.stacks import stored_stack
from pruxel.server.store.blobs import has_blob, put_blob
from pruxel.server.store.database import session
from pruxel.server.store.jobs import tell, work_waits
from pruxel.server.store.stack_state import StackState
from pruxel.server.store.tables import EntryRow, Job, Slot

VERSION = "3"
THUMB = View(width=288, height=216)
_TEXTURE_SIDE = 216
_MOST_AT_ONCE = 5000
# Instead of a picture's key, until the sources are read anew.
NOT_DRAWABLE = ""


def scene_picture(scene: Scene, view: View, context: Context) -> str:
    """The blob key of a scene's picture, drawn when it is not there yet."""
    key = hashlib.blake2b(f"{VERSION}:{digest(scene)}:{view}".encode(), digest_size=16).hexdigest()
    if not has_blob(key):
        put_blob(key, png.encode(render(scene, context, view)))
    return key


def scene_file(scene: Scene, context: Context) -> str:
    """The blob key of a scene's GLB, written when it is not there yet."""
    key = f"{digest(scene)}{VERSION}glb"
    if not has_blob(key):
        file = write_glb(scene, safe_part(scene.name), context)[0]
        put_blob(key, b"".join(bytes(piece) for piece in file.pieces))
    return key


def texture_picture(data: memoryview, name: str, context: Context) -> str:
    """The blob key of a texture's small picture: every nth texel, colours without alpha."""
    key = hashlib.blake2b(bytes(data), digest_size=16, person=f"tex{VERSION}".encode()).hexdigest()
    if not has_blob(key):
        rgba = decode_image(data, name, context.limits).rgba
        step = max(1, -(-max(rgba.shape[:2]) // _TEXTURE_SIDE))
        small = rgba[: rgba.shape[0] // step * step or 1, : rgba.shape[1] // step * step or 1, :3]
        if step > 1:
            h, w = small.shape[0] // step, small.shape[1] // step
            small = small.reshape(h, step, w, step, 3).mean(axis=(1, 3)).astype(np.uint8)
        put_blob(key, png.encode(np.ascontiguousarray(small)))
    return key


def level_picture(level: Level) -> str:
    """The blob key of a plan: every placement a dot, one colour a model, seen from above, north up."""
    side = _TEXTURE_SIDE
    spots = level.placements.positions[:, [0, 2]]
    low, size = spots.min(axis=0, initial=0.0), max(float(np.ptp(spots, axis=0).max(initial=0.0)), 1.0)
    at = ((spots - low + 0.04 * size) / (1.08 * size) * (side - 1)).astype(int)
    plan = np.full((side, side, 3), (236, 228, 212), np.uint8)
    rng = np.random.default_rng(len(level.models))
    colors = (np.array([38, 104, 96]) + rng.integers(-30, 90, (len(level.models), 3))).clip(0, 230).astype(np.uint8)
    for down in range(-2, 3):
        for across in range(-2, 3):
            if abs(down) + abs(across) < 4:
                x, z = (at[:, 0] + across).clip(0, side - 1), (at[:, 1] + down).clip(0, side - 1)
                plan[z, x] = colors[level.placements.model]
    data = png.encode(plan)
    key = hashlib.blake2b(data, digest_size=16).hexdigest()
    put_blob(key, data)
    return key


def draw_anew(db: Session, project: uuid.UUID) -> Job:
    """The job that draws a project's pictures; what could not be drawn before is tried once more.

    With other sources, keys or layouts it may be.
    """
    slots = select(Slot.id).where(Slot.project_id == project)
    undrawable = update(EntryRow).where(EntryRow.slot.in_(slots), EntryRow.picture == NOT_DRAWABLE)
    db.execute(undrawable.values(picture=None))
    return put_job(db, project, "pictures", "Drawing pictures", {"key": "all"})


@job_kind("pictures")
def pictures(job: Job, context: Context) -> None:
    """Draw what has no picture yet. What cannot be drawn is not tried again; opening it says why.

    Whenever other work waits, this ends and queues up again behind it.
    """
    slots = stored_stack(job.project_id).state.winning
    with session() as db:
        wanted = (EntryRow.slot.in_(slots), EntryRow.picture.is_(None), EntryRow.kind.in_(DRAWN))
        ordered = select(EntryRow).where(*wanted).order_by(EntryRow.kind, EntryRow.path)
        rows = list(db.execute(ordered.limit(_MOST_AT_ONCE)).scalars())
    if not _draw(job, rows, context, gives_way=True):
        with session() as db:
            rest = put_job(db, job.project_id, job.kind, job.title, job.payload)
        send(rest)


@job_kind("sight")
def in_sight(job: Job, context: Context) -> None:
    """Draw what somebody looks at right now, before all else."""
    with session() as db:
        wanted = (EntryRow.id.in_(job.payload["entries"]), EntryRow.picture.is_(None), EntryRow.kind.in_(DRAWN))
        rows = list(db.execute(select(EntryRow).where(*wanted)).scalars())
    place = {entry: n for n, entry in enumerate(job.payload["entries"])}
    _draw(job, sorted(rows, key=lambda row: place[row.id]), context, gives_way=False)


def _draw(job: Job, rows: list[EntryRow], context: Context, *, gives_way: bool) -> bool:
    """Draw entries one by one; false when other work waited and this gave way to it."""
    stack = stored_stack(job.project_id)
    opened = Opener(stack)
    for row, part in context.part(0.02, 1.0).each(rows, lambda r: r.path):
        try:
            key = _picture(row, opened, stack.state, part)
        except InputError:
            key = NOT_DRAWABLE
        with session() as db:
            db.execute(update(EntryRow).where(EntryRow.id == row.id).values(picture=key))
            tell(db, {"picture": {"entry": row.id, "key": key}, "project_id": str(job.project_id)})
            if gives_way and work_waits(db, but=job.kind):
                return False
    return True


def _picture(row: EntryRow, opened: Opener, state: StackState, context: Context) -> str:
    if row.kind == "texture":
        return texture_picture(opened.stack.read(row.path, context), row.path, context)
    if row.kind == "level":
        return level_picture(opened.level(row.path, context))
    silent = Context(cancelled=context.cancelled, limits=context.limits)
    if row.kind == "clips":
        return _clips_picture(row.path, opened, state, silent)
    scene = visible(opened.scene([row.path], silent))
    if not any(mesh.primitives for _, _, mesh in parts(scene)):
        raise InputError(ErrorCode.MALFORMED, "nothing of this can be seen", file=row.path)
    return scene_picture(scene, THUMB, silent)


def _clips_picture(path: str, opened: Opener, state: StackState, context: Context) -> str:
    """The first clip, held in the middle, on a model nearby. Raises `InputError` when there is none that fits."""
    scene, _ = played(opened, state, opened.clips(path, context), path, context)
    if scene is None or not scene.clips:
        raise InputError(ErrorCode.REFERENCE, "no model nearby has the joints of these clips", file=path)
    seconds, _ = extent_of(scene.clips[0].channels)
    moment = posed(scene, scene.clips[0], seconds / 2)
    return scene_picture(stiff(moment) if moment.meshes else visible(moment), THUMB, context)

"""Pictures of models and textures for the list, cached by content."""

from __future__ import annotations

import hashlib
import logging
import time
import uuid

import numpy as np
from sqlalchemy import select, update
from sqlalchemy.orm import Session

from pruxel.core.base.arrays import ByteArray
from pruxel.core.base.context import Context
from pruxel.core.base.errors import CancelledError, ErrorCode, Fault, InputError, PruxelError
from pruxel.core.extract.clips import extent_of
from pruxel.core.extract.level import Level
from pruxel.core.images import png
from pruxel.core.images.decode import decode_image
from pruxel.core.knowledge.kinds import DRAWN
from pruxel.core.native.sounds import Wave, read_wave
from pruxel.core.pictures.bones import visible
from pruxel.core.pictures.render import View, render
from pruxel.core.recipe.inputs import Opener
from pruxel.core.scene.digest import digest
from pruxel.core.scene.looking import at_moment
from pruxel.core.scene.model import Scene
from pruxel.core.scene.pose import stiff
from pruxel.core.scene.walk import parts
from pruxel.server.jobs.queue import BEHIND, put_job
from pruxel.server.jobs.risk import at, left_alone, risk_of
from pruxel.server.jobs.runner import job_kind
from pruxel.server.jobs.stacks import stored_stack
from pruxel.server.settings import settings
from pruxel.server.store.blobs import has_blob, put_blob
from pruxel.server.store.database import session, unhurried
from pruxel.server.store.entry_faults import NOT_DRAWABLE, set_aside, try_again
from pruxel.server.store.jobs import one_waits, tell, work_goes_on
from pruxel.server.store.tables import EntryRow, Job

VERSION = "8"
THUMB = View(width=288, height=216, sky_rays=6)
_TEXTURE_SIDE = 216
_MOST_AT_ONCE = 5000
_MOST_PLACED = 5000
_TURN_SECONDS = 6.0
_PAPER, _SEA = (236, 228, 212), (38, 104, 96)
_WAIT_SECONDS = 0.4
_MOST_SECONDS = 180.0
log = logging.getLogger("pruxel.pictures")


def scene_picture(scene: Scene, view: View, context: Context) -> str:
    """The blob key of a scene's picture, drawn when it is not there yet; without any mesh, its joints are drawn."""
    shown = visible(scene)
    key = hashlib.blake2b(f"{VERSION}:{digest(shown)}:{view}".encode(), digest_size=16).hexdigest()
    if not has_blob(key):
        put_blob(key, png.encode(render(shown, context, view)))
    return key


def texture_picture(data: memoryview, name: str, context: Context) -> str:
    """The blob key of a texture's small picture, see-through where the texture is."""
    key = hashlib.blake2b(bytes(data), digest_size=16, person=f"tex{VERSION}".encode()).hexdigest()
    if not has_blob(key):
        put_blob(key, png.encode(small_picture(decode_image(data, name, context.limits).rgba)))
    return key


def small_picture(rgba: ByteArray, side: int = _TEXTURE_SIDE) -> ByteArray:
    """Averages of blocks of texels, (h, w, 4) uint8 with at most `side` either way; a strip keeps one texel across."""
    height, width = rgba.shape[:2]
    step = max(1, -(-max(height, width) // side))
    if step == 1:
        return rgba
    down, across = min(step, height), min(step, width)
    h, w = height // down, width // across
    blocks = rgba[: h * down, : w * across].reshape(h, down, w, across, 4).astype(np.float32)
    alpha = blocks[..., 3:].mean(axis=(1, 3))
    # What cannot be seen does not colour what can.
    weight = np.maximum(blocks[..., 3:], 1e-3)
    color = (blocks[..., :3] * weight).sum(axis=(1, 3)) / weight.sum(axis=(1, 3))
    return np.concatenate([color, alpha], axis=2).astype(np.uint8)


def sound_picture(wave: Wave) -> str:
    """The blob key of a sound's shape: from the left to the right, how far it goes down and up."""
    side = _TEXTURE_SIDE
    height = side * 3 // 4
    low, high = ((1 - wave.peaks[:, number]) / 2 * (height - 1) for number in (0, 1))
    rows = np.arange(height)[:, None]
    inside = (rows >= np.floor(high)) & (rows <= np.ceil(low))
    picture = np.where(inside[..., None], _SEA, _PAPER).astype(np.uint8)
    data = png.encode(picture)
    key = hashlib.blake2b(data, digest_size=16).hexdigest()
    put_blob(key, data)
    return key


def level_picture(level: Level) -> str:
    """The blob key of a plan: every placement a dot, one colour a model, seen from above, north up."""
    side = _TEXTURE_SIDE
    spots = level.placements.positions[:, [0, 2]]
    low, size = spots.min(axis=0, initial=0.0), max(float(np.ptp(spots, axis=0).max(initial=0.0)), 1.0)
    at = ((spots - low + 0.04 * size) / (1.08 * size) * (side - 1)).astype(int)
    plan = np.full((side, side, 3), _PAPER, np.uint8)
    rng = np.random.default_rng(len(level.models))
    colors = (np.array(_SEA) + rng.integers(-30, 90, (len(level.models), 3))).clip(0, 230).astype(np.uint8)
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
    try_again(db, project)
    return put_job(db, project, "pictures", "Drawing pictures", {"key": "all"})


@job_kind("pictures")
def pictures(job: Job, context: Context) -> None:
    """Draw what has no picture yet. What cannot be drawn is not tried again; opening it says why.

    While other work goes on, this waits: a person's act goes before background drawing.
    """
    while settings().pictures_ahead:
        slots = stored_stack(job.project_id).state.winning
        with session() as db:
            wanted = (EntryRow.slot.in_(slots), EntryRow.picture.is_(None), EntryRow.kind.in_(DRAWN))
            ordered = select(EntryRow).where(*wanted).order_by(EntryRow.kind, EntryRow.path)
            rows = list(db.execute(ordered.limit(_MOST_AT_ONCE)).scalars())
        if not rows:
            return
        if not _draw(job, rows, context, gives_way=True):
            with session() as db:
                put_job(db, job.project_id, job.kind, job.title, {"key": "all"})
            return


@job_kind("sight")
def in_sight(job: Job, context: Context) -> None:
    """Draw what somebody looks at right now, before all else."""
    with session() as db:
        wanted = (EntryRow.id.in_(job.payload["entries"]), EntryRow.picture.is_(None), EntryRow.kind.in_(DRAWN))
        rows = list(db.execute(select(EntryRow).where(*wanted)).scalars())
    place = {entry: n for n, entry in enumerate(job.payload["entries"])}
    _draw(job, sorted(rows, key=lambda row: place[row.id]), context, gives_way=False)


def _draw(job: Job, rows: list[EntryRow], context: Context, *, gives_way: bool) -> bool:
    """Draw entries one by one; each fails for itself, with its reason kept. False when it gave way to its likes."""
    stack = stored_stack(job.project_id)
    opened, check = Opener(stack), left_alone(job.project_id)
    turn_ends = time.monotonic() + _TURN_SECONDS
    for row, part in context.part(0.02, 1.0).each(rows, lambda r: r.path):
        if gives_way and not _turn_comes(part, turn_ends):
            return False
        risk = risk_of(row, _MOST_SECONDS)
        try:
            check(risk)
            with at(risk):
                key, fault = _picture(row, opened, part), None
        except CancelledError:
            raise
        except PruxelError as error:
            key, fault = NOT_DRAWABLE, error.fault
        except Exception as error:
            log.exception("drawing %s failed", row.path)
            hint = "The others go on. Opening it on the Bench may say more; the raw file can be saved."
            words = f"it could not be drawn ({type(error).__name__})"
            key, fault = NOT_DRAWABLE, Fault(ErrorCode.MALFORMED, words, file=row.path, hint=hint)
        with unhurried() as db:
            if fault is not None:
                set_aside(db, job.project_id, row, fault)
            else:
                db.execute(update(EntryRow).where(EntryRow.id == row.id).values(picture=key))
            tell(db, {"picture": {"entry": row.id, "key": key}, "project_id": str(job.project_id)})
            if fault is not None:
                tell(db, {"changed": "problems", "project_id": str(job.project_id)})
    return True


def _turn_comes(context: Context, turn_ends: float) -> bool:
    """Wait while somebody waits for other work; false when another job for the same process has come.

    Other projects' pictures get their turn after some seconds, so that a large game does not hold up a small one.
    """
    while True:
        others = BEHIND if time.monotonic() > turn_ends else BEHIND - {"pictures"}
        context.check()
        with session() as db:
            if one_waits(db, others):
                return False
            if not work_goes_on(db, but=BEHIND):
                return True
        time.sleep(_WAIT_SECONDS)


def _picture(row: EntryRow, opened: Opener, context: Context) -> str:
    if row.kind == "texture":
        return texture_picture(opened.picture(row.path, context), row.path, context)
    silent = Context(cancelled=context.cancelled, limits=context.limits)
    if row.kind == "sound":
        return sound_picture(read_wave(opened.stack.read(row.path, context), row.path, _TEXTURE_SIDE))
    if row.kind == "level":
        level = opened.level(row.path, silent)
        if len(level.placements.model) > _MOST_PLACED:
            return level_picture(level)
        placed = visible(opened.scene([row.path], silent))
        return scene_picture(placed, THUMB, silent) if _is_seen(placed) else level_picture(level)
    if row.kind == "clips":
        return _clips_picture(row.path, opened, silent)
    scene = visible(opened.scene([row.path], silent))
    if not _is_seen(scene):
        raise InputError(ErrorCode.MALFORMED, "nothing of this can be seen", file=row.path)
    return scene_picture(scene, THUMB, silent)


def _is_seen(scene: Scene) -> bool:
    return any(mesh.primitives for _, _, mesh in parts(scene))


def _clips_picture(path: str, opened: Opener, context: Context) -> str:
    """The first clip, held in the middle, on a model nearby. Raises `InputError` when there is none that fits."""
    scene, _ = opened.played(opened.clips(path, context), path, context)
    if scene is None or not scene.clips:
        raise InputError(ErrorCode.REFERENCE, "no model nearby has the joints of these clips", file=path)
    seconds, _ = extent_of(scene.clips[0].channels)
    moment = at_moment(scene, scene.clips[0], seconds / 2)
    return scene_picture(stiff(moment) if moment.meshes else moment, THUMB, context)

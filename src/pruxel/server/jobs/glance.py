"""A quick look at a model, a skeleton or clips: a stored scene, kept by what it comes from."""

from __future__ import annotations

import hashlib
from typing import Any

from pruxel.core.base.context import Context
from pruxel.core.extract.clips import extent_of
from pruxel.core.knowledge.kinds import Kind
from pruxel.core.pictures.bones import visible
from pruxel.core.recipe.inputs import Opener
from pruxel.core.scene.measure import measure
from pruxel.core.scene.model import Scene
from pruxel.core.scene.walk import joint_tree
from pruxel.server.jobs.runner import job_kind
from pruxel.server.jobs.stacks import StoredStack, stored_stack
from pruxel.server.store.database import session
from pruxel.server.store.rows import put_row
from pruxel.server.store.scenes import shown_scene
from pruxel.server.store.tables import EntryRow, Glance, Job

_VERSION = "3"


def glance_key(stack: StoredStack, row: EntryRow) -> str:
    """Changes with the entry's content and with the state of the project."""
    words = f"{_VERSION}|{stack.state.project}|{stack.state.revision}|{row.id}|{row.stamp}|{row.size}"
    return hashlib.blake2b(words.encode(), digest_size=16).hexdigest()


@job_kind("glance")
def glance(job: Job, context: Context) -> None:
    """Open one entry and store its scene with what is worth telling of it."""
    stack, path, kind = stored_stack(job.project_id), job.payload["path"], job.payload["kind"]
    opened, on = Opener(stack), None
    scene: Scene | None
    if kind == Kind.CLIPS:
        clips = opened.clips(path, context.part(0.0, 0.1))
        scene, on = opened.played(clips, path, context.part(0.1, 0.6))
        facts = _facts(scene or Scene("")) | {"clips": [_clip(c.name, c.seconds, c.frames) for c in clips]}
    else:
        scene = opened.scene([path], context.part(0.0, 0.6))
        facts = _facts(scene)
    context.progress(0.7, "storing what was found")
    shown = None if scene is None else shown_scene(visible(scene))
    content = {"scene": shown, "facts": facts | {"played_on": on}}
    with session() as db:
        put_row(db, Glance, {"key": job.payload["key"], "project_id": job.project_id, "content": content})


def _facts(scene: Scene) -> dict[str, Any]:
    facts = measure(scene)
    return {
        "triangles": facts.triangles,
        "vertices": facts.vertices,
        "parts": len(facts.parts),
        "materials": list(facts.materials),
        "size": list(facts.size),
        "joints": [{"name": name, "depth": depth} for name, depth in joint_tree(scene)],
        "clips": [_clip(c.name, *extent_of(c.channels)) for c in scene.clips],
        "notes": list(scene.notes[:20]),
    }


def _clip(name: str, seconds: float, frames: int) -> dict[str, Any]:
    return {"name": name, "seconds": round(seconds, 3), "frames": frames}

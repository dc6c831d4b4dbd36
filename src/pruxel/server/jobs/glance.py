"""A quick look at a model: its scene as GLB, kept by what it comes from."""

from __future__ import annotations

import hashlib

from pruxel.core.base.context import Context
from pruxel.core.scene.measure import measure
from pruxel.server.jobs.pictures import scene_file
from pruxel.server.jobs.runner import job_kind
from pruxel.server.jobs.stacks import StoredStack, opener
from pruxel.server.store.database import session
from pruxel.server.store.jobs import change_job
from pruxel.server.store.tables import EntryRow, Job

_VERSION = "1"


def glance_key(stack: StoredStack, row: EntryRow) -> str:
    """Changes with the entry's content and with the state of the project."""
    words = f"{_VERSION}|{stack.state.project}|{stack.state.revision}|{row.id}|{row.stamp}|{row.size}"
    return hashlib.blake2b(words.encode(), digest_size=16).hexdigest()


@job_kind("glance")
def glance(job: Job, context: Context) -> None:
    """Open one model and store its GLB with what is worth telling of it."""
    scene = opener(job.project_id).scene([job.payload["path"]], context.part(0.0, 0.6))
    facts = measure(scene)
    blob = scene_file(scene, context.part(0.6, 1.0))
    told = {
        "triangles": facts.triangles,
        "vertices": facts.vertices,
        "parts": len(facts.parts),
        "materials": list(facts.materials),
        "size": list(facts.size),
        "joints": facts.joints,
        "clips": list(facts.clips),
        "notes": list(scene.notes[:20]),
    }
    with session() as db:
        change_job(db, job.id, payload=job.payload | {"scene": blob, "facts": told})

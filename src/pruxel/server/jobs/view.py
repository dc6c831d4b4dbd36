"""What the Bench shows: the scene after the steps, facts, findings, a picture for each step."""

from __future__ import annotations

import hashlib
import json
import uuid
from dataclasses import asdict
from typing import Any

import pruxel.core.findings  # noqa: F401 - registers all rules
from pruxel.core.base.context import Context
from pruxel.core.findings.registry import find
from pruxel.core.pictures.render import View as PictureView
from pruxel.core.recipe.document import StepUse
from pruxel.core.recipe.cache import MemoryCache
from pruxel.core.recipe.run import RecipeRun, run_recipe
from pruxel.core.scene.measure import measure
from pruxel.core.scene.model import Scene
from pruxel.server.jobs.pictures import VERSION, scene_file, scene_picture
from pruxel.server.jobs.runner import job_kind
from pruxel.server.jobs.stacks import fingerprint, opener
from pruxel.server.store.database import session
from pruxel.server.store.jobs import tell
from pruxel.server.store.tables import Job, View, Workpiece

_steps = MemoryCache()
_CARD = PictureView(width=352, height=240)
_scenes: dict[str, Scene] = {}


def view_key(workpiece: Workpiece) -> str:
    """The key of what a workpiece comes out as: its files as they are now, its entries, its steps."""
    files = fingerprint(workpiece.project_id)
    text = json.dumps([VERSION, files, str(workpiece.project_id), workpiece.entries, workpiece.steps], sort_keys=True)
    return hashlib.blake2b(text.encode(), digest_size=16).hexdigest()


def run_workpiece(project: uuid.UUID, entries: list[str], steps: list[Any], context: Context) -> RecipeRun:
    """Open the entries and run the steps, through the caches of this process."""
    opened = opener(project)
    key = f"{fingerprint(project)}|{entries}"
    if key not in _scenes:
        while len(_scenes) >= 6:
            _scenes.pop(next(iter(_scenes)))
        _scenes[key] = opened.scene(entries, context.part(0.1, 0.4))
    uses = [StepUse.model_validate(s) for s in steps]
    return run_recipe(_scenes[key], uses, _steps, context.part(0.4, 0.6))


@job_kind("view")
def view(job: Job, context: Context) -> None:
    """Store the scene first, so that the page can show it, then findings, then pictures."""
    key, project = job.payload["key"], job.project_id
    run = run_workpiece(project, job.payload["entries"], job.payload["steps"], context.part(0.0, 0.4))
    scene = run.scene
    blob = scene_file(scene, context.part(0.4, 0.7))
    facts = measure(scene)
    content: dict[str, Any] = {
        "scene": blob,
        "facts": asdict(facts) | {"size": list(facts.size)},
        "steps": [
            {
                "step": r.use.step,
                "summary": r.summary,
                "fault": r.fault.as_dict() | {"line": r.fault.line()} if r.fault else None,
                "before": r.before,
                "after": r.after,
            }
            for r in run.runs
        ],
        "findings": None,
        "pictures": [],
        "conventions": next((p.origin.conventions for m in scene.meshes for p in m.primitives), ""),
    }
    _save(key, project, content)
    content["findings"] = [asdict(f) for f in find(scene, context.part(0.7, 0.8))]
    _save(key, project, content)
    for one in run.scenes:
        content["pictures"].append(scene_picture(one, _CARD, context.part(0.8, 1.0)))
        _save(key, project, content)


def _save(key: str, project: uuid.UUID, content: dict[str, Any]) -> None:
    with session() as db:
        db.merge(View(key=key, project_id=project, content=json.loads(json.dumps(content, default=str))))
        tell(db, {"view": key, "project_id": str(project)})

"""What the Bench shows: the scene after the steps, facts, findings, a picture for each step."""

from __future__ import annotations

import hashlib
import json
import uuid
from collections.abc import Collection, Sequence
from dataclasses import asdict
from typing import Any

import pruxel.core.findings  # noqa: F401 - registers all rules
from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.findings import Aside, none_aside
from pruxel.core.findings.registry import find
from pruxel.core.formats import every  # noqa: F401 - registers all formats
from pruxel.core.formats.registry import FORMATS, lost
from pruxel.core.knowledge.meant import meant_in
from pruxel.core.pictures.render import View as PictureView
from pruxel.core.recipe.cache import LayeredCache, MemoryCache
from pruxel.core.recipe.document import StepUse
from pruxel.core.recipe.run import RecipeRun, run_recipe
from pruxel.core.recipe.ways import Way, ways
from pruxel.core.scene.links import links_of
from pruxel.core.scene.measure import measure
from pruxel.core.scene.model import Scene
from pruxel.core.steps.references import Reference
from pruxel.core.steps.registry import Library, StepResult
from pruxel.server.jobs.pictures import scene_picture
from pruxel.server.jobs.runner import job_kind
from pruxel.server.jobs.stacks import fingerprint, opener, stored_stack
from pruxel.server.store.database import session
from pruxel.server.store.jobs import tell
from pruxel.server.store.revisions import steps_of
from pruxel.server.store.rows import add_row, put_row
from pruxel.server.store.scenes import StoredSteps, shown_scene
from pruxel.server.store.tables import Job, View, Workpiece

VERSION = "12"
_CARD = PictureView(width=352, height=240, samples=1, sky_rays=6)
_results = LayeredCache(MemoryCache(), StoredSteps())


def inputs_key(project: uuid.UUID, entries: list[str], now: str | None = None) -> str:
    """The key of what entries come out as: their files as they are now, and the project that reads them.

    `now` is the project's fingerprint, for those who ask for many keys.
    """
    text = json.dumps([VERSION, now or fingerprint(project), str(project), entries], sort_keys=True)
    return hashlib.blake2b(text.encode(), digest_size=16).hexdigest()


def view_key(workpiece: Workpiece, steps: list[Any], now: str | None = None) -> str:
    """The key of what a workpiece comes out as: its inputs, its steps, and the findings that those leave."""
    key = _leaving(inputs_key(workpiece.project_id, workpiece.entries, now), steps, workpiece.settled)
    return hashlib.blake2b(json.dumps([key, steps], sort_keys=True).encode(), digest_size=16).hexdigest()


def _leaving(key: str, steps: Sequence[Any], settled: Collection[str]) -> str:
    """The key of inputs whose findings are meant so: another one only where a step follows findings."""
    return f"{key} {json.dumps(sorted(settled))}" if settled and _follow(steps) else key


def _follow(steps: Sequence[Any]) -> bool:
    """Whether a step follows findings."""
    return any(step.get("rule") and step["rule"].get("finding") for step in steps)


def put_aside(project: uuid.UUID, entries: Sequence[str], settled: Collection[str]) -> Aside:
    """What tells the findings that are meant so in a workpiece: those that it, or the profile, says."""
    meant = meant_in(stored_stack(project).profile.spec.meant_so, entries)
    return lambda found: found.key in settled or meant(found)


class ProjectLibrary(Library):
    """Other entries and workpieces of a project, for steps that bring them in.

    `above` are workpieces that wait for it.
    """

    def __init__(self, project: uuid.UUID, above: tuple[str, ...] = ()) -> None:
        self._project, self._above = project, above

    def digest(self, reference: Reference) -> str:
        """The key of the entry's inputs, or of the other workpiece with its steps."""
        if reference.to == "entry":
            return inputs_key(self._project, [reference.name])
        workpiece, steps = self._workpiece(reference)
        return view_key(workpiece, steps)

    def scene(self, reference: Reference, context: Context) -> Scene:
        """The entry opened, or the other workpiece as it comes out."""
        if reference.to == "entry":
            return run_workpiece(self._project, [reference.name], [], context).scene
        workpiece, steps = self._workpiece(reference)
        above = (*self._above, reference.name)
        return run_workpiece(self._project, workpiece.entries, steps, context, above, workpiece.settled).scene

    def _workpiece(self, reference: Reference) -> tuple[Workpiece, list[Any]]:
        if reference.name in self._above:
            raise UsageError(ErrorCode.USAGE, "a workpiece would bring itself in", found=reference.name)
        with session() as db:
            found = db.get(Workpiece, uuid.UUID(reference.name)) if _is_uuid(reference.name) else None
            if found is None or found.project_id != self._project:
                raise self._absent(reference)
            return found, steps_of(db, found)


def _is_uuid(text: str) -> bool:
    try:
        uuid.UUID(text)
    except ValueError:
        return False
    return True


def run_workpiece(
    project: uuid.UUID,
    entries: list[str],
    steps: list[Any],
    context: Context,
    above: tuple[str, ...] = (),
    settled: Collection[str] = (),
) -> RecipeRun:
    """Open the entries and run the steps, through the store and the memory of this process.

    `settled` are the keys of findings that steps which follow findings leave alone, beside those of the profile.
    """
    key = inputs_key(project, entries)
    known = _results.get(key)
    if known is None:
        known = StepResult(opener(project).scene(entries, context.part(0.1, 0.4)), "")
        _results.put(key, known)
    uses = [StepUse.model_validate(s) for s in steps]
    library = ProjectLibrary(project, above)
    return run_recipe(
        known.scene, uses, _results, context.part(0.4, 0.6), key=_leaving(key, steps, settled), library=library,
        aside=put_aside(project, entries, settled) if _follow(steps) else none_aside,
    )  # fmt: skip


def _run(job: Job, context: Context) -> RecipeRun:
    """What a job of a workpiece asks for."""
    wanted = job.payload
    settled = wanted.get("settled", [])
    return run_workpiece(job.project_id, wanted["entries"], wanted["steps"], context, settled=settled)


@job_kind("view")
def view(job: Job, context: Context) -> None:
    """Store the scene first, so that the page can show it, then findings, what was before each step, and pictures."""
    key, project = job.payload["key"], job.project_id
    run = _run(job, context.part(0.0, 0.5))
    content = _content(run)
    _save(key, project, content)
    meant = meant_in(stored_stack(project).profile.spec.meant_so, job.payload["entries"])
    content["findings"] = [
        asdict(f) | {"key": f.key, "by_profile": meant(f)} for f in find(run.scene, context.part(0.6, 0.75))
    ]
    _save(key, project, content)
    for step, before in zip(content["steps"], run.scenes, strict=False):
        context.check()
        step["before_scene"] = shown_scene(before)
    _save(key, project, content)
    for one in run.scenes:
        content["pictures"].append(scene_picture(one, _CARD, context.part(0.75, 1.0)))
        _save(key, project, content)


@job_kind("preview")
def preview(job: Job, context: Context) -> None:
    """Store the scene of steps that are only tried."""
    key, project = job.payload["key"], job.project_id
    content = _content(_run(job, context))
    with session() as db:
        # The job that opens the workpiece with these steps may be at work: it knows more.
        add_row(db, View, _row(key, project, content))
        tell(db, {"view": key, "project_id": str(project)})


def _content(run: RecipeRun) -> dict[str, Any]:
    """All that a view says but findings and pictures, which take longer."""
    scene = run.scene
    facts = measure(scene)
    return {
        "scene": shown_scene(scene),
        "facts": asdict(facts) | {"size": list(facts.size)},
        "links": [asdict(link) for link in links_of(scene)],
        "notes": list(scene.notes[:40]),
        "steps": [
            {
                "step": r.use.step,
                "summary": r.summary,
                "fault": r.fault.as_dict() | {"line": r.fault.line()} if r.fault else None,
                "before": r.before,
                "after": r.after,
                "ways": [_way(way) for way in ways(before, r.use)],
            }
            for r, before in zip(run.runs, run.scenes, strict=False)
        ],
        "findings": None,
        "pictures": [],
        "losses": {spec.name: list(lost(scene, spec)) for spec in FORMATS if spec.write is not None},
        "conventions": next((p.origin.conventions for m in scene.meshes for p in m.primitives), ""),
    }


def _way(way: Way) -> dict[str, Any]:
    return {
        "words": way.words,
        "params": way.params,
        "rule": None if way.rule is None else way.rule.model_dump(),
    }


def _save(key: str, project: uuid.UUID, content: dict[str, Any]) -> None:
    with session() as db:
        put_row(db, View, _row(key, project, content))
        tell(db, {"view": key, "project_id": str(project)})


def _row(key: str, project: uuid.UUID, content: dict[str, Any]) -> dict[str, Any]:
    return {"key": key, "project_id": project, "content": json.loads(json.dumps(content, default=str))}

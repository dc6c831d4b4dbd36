"""Deliveries: run the workpiece, write, prove, zip; the folder appears whole or not at all."""

from __future__ import annotations

import shutil
import uuid
from dataclasses import replace
from typing import Any

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.base.writing import make_folder
from pruxel.core.deliver.deliver import deliver
from pruxel.core.deliver.package import replace_folder, zip_folder
from pruxel.core.deliver.plan import plan_of
from pruxel.core.formats.textures import link_name
from pruxel.core.scene.model import Scene
from pruxel.server.jobs.runner import job_kind
from pruxel.server.jobs.view import run_workpiece
from pruxel.server.settings import settings
from pruxel.server.store.database import session
from pruxel.server.store.jobs import tell
from pruxel.server.store.tables import Delivery, Job, Workpiece


@job_kind("deliver")
def deliver_job(job: Job, context: Context) -> None:
    """Write one delivery into a folder of its own; of one that was removed meanwhile nothing stays."""
    with session() as db:
        delivery = db.get(Delivery, uuid.UUID(job.payload["delivery"]))
        if delivery is None:
            return
        workpiece = db.get_one(Workpiece, delivery.workpiece_id)
    own = {"entries": workpiece.entries, "steps": delivery.steps, "settled": workpiece.settled}
    pieces = [own | {"name": workpiece.name}, *delivery.also]

    def scene(one: dict[str, Any], part: Context) -> Scene:
        run = run_workpiece(job.project_id, one["entries"], one["steps"], part, (), one.get("settled", []))
        return replace(run.scene, name=one["name"])

    scenes = [scene(one, part) for one, part in context.part(0.0, 0.2).each(pieces, lambda one: str(one["name"]))]
    home = settings().deliveries
    make_folder(home)
    final_home = home / delivery.below if delivery.below else home
    make_folder(final_home)
    if not final_home.resolve().is_relative_to(home.resolve()):
        raise InputError(
            ErrorCode.OUTSIDE_ROOTS, "the folder leads out of the output root", file=delivery.below,
            expected=f"below {home}", hint="Choose a folder that is no link to elsewhere.",
        )  # fmt: skip
    name = f"{link_name(delivery.name)}-{str(delivery.id)[:8]}"
    partial = home / f".{name}.partial"
    shutil.rmtree(partial, ignore_errors=True)
    make_folder(partial)
    try:
        report = deliver(
            scenes,
            delivery.name,
            delivery.formats,
            partial,
            context.part(0.2, 0.9),
            delivery.options,
            plan_of(delivery.plan),
        )
        archive = final_home / f"{name}.zip"
        size = zip_folder(partial, archive, context.part(0.9, 1.0))
        replace_folder(partial, final_home / name)
    finally:
        shutil.rmtree(partial, ignore_errors=True)
    with session() as db:
        stored = db.get(Delivery, delivery.id, with_for_update=True)
        if stored is None:
            archive.unlink()
            shutil.rmtree(final_home / name)
            return
        stored.report = report.as_dict()
        stored.folder, stored.archive, stored.archive_size = str(final_home / name), str(archive), size
        tell(db, {"changed": "deliveries", "project_id": str(job.project_id)})

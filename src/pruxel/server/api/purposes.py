"""Purposes of deliveries: starting points of ours, and those that somebody keeps."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Path
from pydantic import ValidationError

from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.deliver.plan import Plan, plan_of, stem_of
from pruxel.core.deliver.purposes import PURPOSES, Purpose
from pruxel.core.formats import every  # noqa: F401 - registers all formats
from pruxel.core.formats.registry import FORMATS
from pruxel.server.api.models import NamesIn, NamesOut, PurposesOut
from pruxel.server.store.database import session
from pruxel.server.store.missing import not_found
from pruxel.server.store.rows import put_row
from pruxel.server.store.tables import KeptPurpose

router = APIRouter(tags=["purposes"])
_MOST_KEPT = 200
PurposeName = Annotated[str, Path(max_length=40)]


@router.get("/purposes")
def list_purposes() -> PurposesOut:
    """All purposes, and what a plan may say."""
    with session() as db:
        rows = db.query(KeptPurpose).order_by(KeptPurpose.name).all()
    kept = []
    for row in rows:
        try:
            kept.append(Purpose.model_validate(row.purpose))
        except ValidationError:  # of a version that knew other options
            continue
    return PurposesOut(plan=Plan.model_json_schema(), ours=list(PURPOSES), kept=kept)


@router.post("/plans/names")
def example_of_names(wanted: NamesIn) -> NamesOut:
    """How a file would be called."""
    plan = plan_of(wanted.plan)
    apart = plan.files != "one"
    stem = stem_of(plan, wanted.name, wanted.piece, wanted.clip, several=apart, clips=plan.clips == "apart")
    return NamesOut(example=stem)


@router.put("/purposes/{name}")
def keep_purpose(name: PurposeName, purpose: Purpose) -> Purpose:
    """Keep a purpose under its name, in place of one that has it; those of ours stay as they are."""
    if name != purpose.name or name in {one.name for one in PURPOSES}:
        raise UsageError(
            ErrorCode.USAGE, "this name is taken, or another than the purpose's", field="name", found=name,
            hint="Keep it under another name.",
        )  # fmt: skip
    for one in purpose.formats:
        FORMATS.get(one).chosen(purpose.options.get(one, {}))
    with session() as db:
        if db.get(KeptPurpose, name) is None and db.query(KeptPurpose).count() >= _MOST_KEPT:
            raise UsageError(ErrorCode.BUDGET, f"more than {_MOST_KEPT} purposes are not kept", field="name")
        put_row(db, KeptPurpose, {"name": name, "purpose": purpose.model_dump(mode="json")})
    return purpose


@router.delete("/purposes/{name}", status_code=204)
def forget_purpose(name: PurposeName) -> None:
    """Forget a purpose that was kept."""
    with session() as db:
        found = db.get(KeptPurpose, name)
        if found is None:
            raise not_found("purpose")
        db.delete(found)

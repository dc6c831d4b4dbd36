"""The catalogue: things of the game rather than files."""

from __future__ import annotations

from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Query

from pruxel.server.api.browse_models import CatalogueOut
from pruxel.server.api.limits import LARGEST, Word
from pruxel.server.jobs.aside import aside
from pruxel.server.jobs.cards import cards_of

router = APIRouter(tags=["catalogue"])


@router.get("/projects/{project}/catalogue")
def get_catalogue(
    project: UUID,
    group: Word | None = None,
    search: Annotated[str, Query(max_length=400)] = "",
    offset: Annotated[int, Query(ge=0, le=LARGEST)] = 0,
    limit: Annotated[int, Query(ge=1, le=200)] = 60,
) -> CatalogueOut:
    """People, creatures, vehicles, places …: whatever the profile's tables describe, with what belongs to each."""
    return CatalogueOut.model_validate(aside(cards_of, project, group, search, offset, limit))

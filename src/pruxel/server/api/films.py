"""Small moving pictures of clips."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Path
from fastapi.responses import Response

from pruxel.server.api.entries import FOREVER
from pruxel.server.api.limits import Word, gives
from pruxel.server.jobs.aside import aside
from pruxel.server.jobs.films import clip_film

router = APIRouter(tags=["films"])


@router.get("/scenes/{manifest}/clips/{number}/film", response_class=Response, responses=gives("image/webp"))
def film_of_clip(manifest: Word, number: Annotated[int, Path(ge=0, le=1_000_000)]) -> Response:
    """Moments of a clip side by side, from its beginning to its end, in squares."""
    return Response(aside(clip_film, manifest, number), media_type="image/webp", headers=FOREVER)

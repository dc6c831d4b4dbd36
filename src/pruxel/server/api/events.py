"""Server-sent events: what the database announces, passed to every open page."""

from __future__ import annotations

from collections.abc import AsyncIterator

import psycopg
from fastapi import APIRouter, Request
from fastapi.responses import StreamingResponse

from pruxel.server.settings import settings
from pruxel.server.store.jobs import CHANNEL

router = APIRouter(tags=["events"])
_QUIET_SECONDS = 10.0


async def _events(request: Request) -> AsyncIterator[str]:
    connection = await psycopg.AsyncConnection.connect(settings().database_url, autocommit=True)
    async with connection:
        await connection.execute(f"LISTEN {CHANNEL}")
        yield "retry: 1000\n\nevent: hello\ndata: {}\n\n"
        while not await request.is_disconnected():
            async for notice in connection.notifies(timeout=_QUIET_SECONDS, stop_after=1):
                yield f"data: {notice.payload}\n\n"
            yield ": still here\n\n"


@router.get("/events", response_class=StreamingResponse)
async def events(request: Request) -> StreamingResponse:
    """Jobs, views, pictures and changes as they happen."""
    headers = {"Cache-Control": "no-cache", "X-Accel-Buffering": "no"}
    return StreamingResponse(_events(request), media_type="text/event-stream", headers=headers)

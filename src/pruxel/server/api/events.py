"""Server-sent events: what the database announces, passed to every open page. One listener serves them all."""

from __future__ import annotations

import asyncio
import logging
from collections.abc import AsyncIterator
from dataclasses import dataclass, field

import psycopg
from fastapi import APIRouter, Request
from fastapi.responses import StreamingResponse

from pruxel.server.api.limits import gives
from pruxel.server.settings import settings
from pruxel.server.store.jobs import CHANNEL

router = APIRouter(tags=["events"])
log = logging.getLogger("pruxel.events")
_QUIET_SECONDS = 10.0
_MOST_WAITING = 2_000
_AGAIN_SECONDS = 1.0
_AWAY = "event: away\ndata: {}\n\n"
_HELLO = "retry: 1000\n\nevent: hello\ndata: {}\n\n"


@dataclass(eq=False)
class Broadcast:
    """The one connection that listens to the database, and a queue for every page."""

    pages: set[asyncio.Queue[str]] = field(default_factory=set)
    listening: bool = False
    tried: bool = False
    _task: asyncio.Task[None] | None = None

    def join(self) -> asyncio.Queue[str]:
        """A new page's queue; the first page starts the listening."""
        page: asyncio.Queue[str] = asyncio.Queue(_MOST_WAITING)
        self.pages.add(page)
        if self._task is None or self._task.done():
            self._task = asyncio.get_running_loop().create_task(self._listen())
        return page

    def leave(self, page: asyncio.Queue[str]) -> None:
        """A page is gone."""
        self.pages.discard(page)

    async def close(self) -> None:
        """End the listening."""
        if self._task is not None:
            self._task.cancel()
            await asyncio.gather(self._task, return_exceptions=True)

    def _pass_on(self, message: str) -> None:
        for page in list(self.pages):
            try:
                page.put_nowait(message)
            except asyncio.QueueFull:
                # A page that does not read for so long starts anew when it does.
                self.pages.discard(page)

    async def _listen(self) -> None:
        while True:
            try:
                connection = await psycopg.AsyncConnection.connect(settings().database_url, autocommit=True)
                async with connection:
                    await connection.execute(f"LISTEN {CHANNEL}")
                    # What was announced before the listening stood is looked up by the pages.
                    self.listening = True
                    self._pass_on(_HELLO)
                    async for notice in connection.notifies():
                        self._pass_on(f"data: {notice.payload}\n\n")
            except psycopg.Error as error:
                log.warning("the database does not announce anything; trying again (%s)", type(error).__name__)
            self.tried = True
            self.listening = False
            self._pass_on(_AWAY)
            await asyncio.sleep(_AGAIN_SECONDS)


BROADCAST = Broadcast()


async def _events(request: Request) -> AsyncIterator[str]:
    page = BROADCAST.join()
    try:
        yield _HELLO if BROADCAST.listening else _AWAY if BROADCAST.tried else ": listening\n\n"
        while page in BROADCAST.pages and not await request.is_disconnected():
            try:
                yield await asyncio.wait_for(page.get(), _QUIET_SECONDS)
            except TimeoutError:
                yield ": still here\n\n"
    finally:
        BROADCAST.leave(page)


@router.get("/events", response_class=StreamingResponse, responses=gives("text/event-stream"))
async def events(request: Request) -> StreamingResponse:
    """Jobs, views, pictures and changes as they happen."""
    headers = {"Cache-Control": "no-cache", "X-Accel-Buffering": "no"}
    return StreamingResponse(_events(request), media_type="text/event-stream", headers=headers)

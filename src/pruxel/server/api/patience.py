"""Connections that ask for nothing: who begins a request and does not go on is not waited for."""

from __future__ import annotations

import asyncio
from typing import Any

from uvicorn.protocols.http.httptools_impl import HttpToolsProtocol

SECONDS = 10.0


class PatientProtocol(HttpToolsProtocol):
    """uvicorn's protocol, which waits for ever for the rest of a request's head, with an end to that."""

    _waiting: asyncio.TimerHandle | None = None

    def connection_made(self, transport: Any) -> None:  # noqa: ANN401 - asyncio's transports
        """Begin to wait for a first request."""
        super().connection_made(transport)
        self._wait()

    def data_received(self, data: bytes) -> None:
        """Something came: a whole head ends the waiting, half of one does not put it off."""
        super().data_received(data)
        if self.cycle is not None and not self.cycle.response_complete:
            self._stop()
        elif self._waiting is None:
            self._wait()

    def connection_lost(self, exc: Exception | None) -> None:
        """Nobody is there to wait for."""
        self._stop()
        super().connection_lost(exc)

    def _wait(self) -> None:
        self._waiting = self.loop.call_later(SECONDS, self._give_up)

    def _stop(self) -> None:
        if self._waiting is not None:
            self._waiting.cancel()
            self._waiting = None

    def _give_up(self) -> None:
        self._waiting = None
        if not self.transport.is_closing() and (self.cycle is None or self.cycle.response_complete):
            self.transport.close()

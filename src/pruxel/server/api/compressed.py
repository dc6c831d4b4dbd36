"""Answers packed with gzip where that pays: lists and pages, not pictures, arrays and files that are packed already."""

from __future__ import annotations

from starlette.middleware.gzip import GZipMiddleware
from starlette.types import ASGIApp, Receive, Scope, Send

_LEAST_BYTES = 1400
_LEVEL = 4
_AS_THEY_ARE = ("/api/blobs/", "/api/events", "/api/entries/", "/api/deliveries/")
_BUT = ("/look", "/references", "/versions", "/text")


class Compressed:
    """ASGI middleware that leaves blobs, raw files, zips and the stream of events as they are."""

    def __init__(self, app: ASGIApp) -> None:
        self._plain, self._packed = app, GZipMiddleware(app, _LEAST_BYTES, _LEVEL)

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Choose by the path."""
        path = str(scope.get("path", ""))
        plain = (
            scope["type"] != "http" or (path.startswith(_AS_THEY_ARE) and not path.endswith(_BUT)) or "/zips/" in path
        )
        await (self._plain if plain else self._packed)(scope, receive, send)

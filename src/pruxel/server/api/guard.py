"""Who may talk to the server, how much they may say at once, and what browsers may do with the answers.

This installation's token as a cookie, our own host names with our own port, our own pages.
"""

from __future__ import annotations

import asyncio
import hmac
import re
from dataclasses import dataclass
from urllib.parse import urlsplit

from starlette.datastructures import MutableHeaders
from starlette.exceptions import HTTPException
from starlette.requests import Request
from starlette.responses import JSONResponse, RedirectResponse, Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from pruxel.server.settings import settings

COOKIE = "pruxel_access"
_HOSTS = frozenset({"127.0.0.1", "localhost", "::1", "testserver"})
_PORTS = {"http": 80, "https": 443}
_SILENT_SECONDS = 15.0
# The most bytes of a body: pieces of files, profiles and lists of names are large, everything else is not.
_MOST_BYTES = (
    (re.compile(r"/uploads/\w+$"), 64 << 20),
    (re.compile(r"/profile(/check|/file)?$"), 256 << 20),
    (re.compile(r"/names$"), 512 << 20),
)
_MOST_OTHERWISE = 8 << 20
_SOURCES = (
    "default-src 'none'",
    "script-src 'self'",
    "style-src 'self'",
    "img-src 'self' blob: data:",
    "font-src 'self'",
    "connect-src 'self' blob:",
    "media-src 'self'",
    "worker-src 'self'",
    "base-uri 'none'",
    "form-action 'none'",
    "frame-ancestors 'none'",
)
_HEADERS = {
    "Content-Security-Policy": "; ".join(_SOURCES),
    "X-Content-Type-Options": "nosniff",
    "X-Frame-Options": "DENY",
    "Referrer-Policy": "no-referrer",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Embedder-Policy": "require-corp",
    "Cross-Origin-Resource-Policy": "same-origin",
    "Permissions-Policy": "camera=(), geolocation=(), microphone=()",
}


def _refused(status: int, title: str, detail: str) -> Response:
    body = {"title": title, "status": status, "code": "refused", "detail": detail}
    return JSONResponse(body, status, media_type="application/problem+json")


@dataclass(frozen=True)
class _Place:
    """A host name and a port, as a header names them; None for what is none."""

    name: str
    port: int

    @classmethod
    def of(cls, text: str, scheme: str) -> _Place | None:
        try:
            found = urlsplit(f"//{text}")
            port = found.port
        except ValueError:
            return None
        plain = text.isascii() and text.isprintable() and not set("/?#@ \\") & set(text)
        return cls(found.hostname, port or _PORTS.get(scheme, 80)) if plain and found.hostname else None


class Guard:
    """ASGI middleware around everything."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app
        self._token = settings().access_token().encode()

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass on, redirect the printed link, or refuse."""
        if scope["type"] == "websocket":
            await send({"type": "websocket.close", "code": 1008})
            return
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return

        async def dressed(message: Message) -> None:
            if message["type"] == "http.response.start":
                headers = MutableHeaders(scope=message)
                for name, value in _HEADERS.items():
                    headers[name] = value
            await send(message)

        request = Request(scope)
        answer = self._answer(request)
        if answer is not None:
            await answer(scope, receive, dressed)
        else:
            await self._app(scope, _measured(receive, _most_bytes(request.url.path)), dressed)

    def _answer(self, request: Request) -> Response | None:
        scheme = request.url.scheme
        host = _Place.of(request.headers.get("host", ""), scheme)
        if host is None:
            return _refused(400, "No host", "The request does not say whom it asks, or not in a way that makes sense.")
        ours = request.scope.get("server") or (host.name, host.port)
        if host.name not in _HOSTS | {settings().host} or host.port != ours[1]:
            return _refused(421, "Unknown host", "This server answers only under its own loopback names and port.")
        if self._is_foreign(request, host):
            return _refused(403, "Foreign page", "Only Pruxel's own page may ask this.")
        key = request.query_params.get("key")
        if key is not None and request.url.path == "/" and hmac.compare_digest(key.encode(), self._token):
            response = RedirectResponse("/", 303)
            response.set_cookie(COOKIE, self._token.decode(), max_age=365 * 86400, httponly=True, samesite="strict")
            return response
        if request.url.path.startswith("/api/") and not self._knows(request):
            return _refused(401, "No access", "Open the link that `make demo` or `pruxel serve` printed.")
        return None

    def _is_foreign(self, request: Request, host: _Place) -> bool:
        """Whether another site's page asks. Following a link to the page itself is nobody's asking."""
        origin = request.headers.get("origin")
        if origin is not None:
            scheme, _, place = origin.partition("://")
            if scheme not in _PORTS or _Place.of(place, scheme) != host:
                return True
        site = request.headers.get("sec-fetch-site", "none")
        follows = request.headers.get("sec-fetch-mode") == "navigate" and not request.url.path.startswith("/api/")
        return site not in {"none", "same-origin"} and not (follows and request.method == "GET")

    def _knows(self, request: Request) -> bool:
        return hmac.compare_digest(request.cookies.get(COOKIE, "").encode(), self._token)


def _most_bytes(path: str) -> int:
    return next((most for pattern, most in _MOST_BYTES if pattern.search(path)), _MOST_OTHERWISE)


def _measured(receive: Receive, most: int) -> Receive:
    """The body as it comes: raises `HTTPException` when it is more than it may be, or when it stops coming."""
    taken, whole = 0, False

    async def next_message() -> Message:
        nonlocal taken, whole
        if whole:  # what comes now is that whoever asked has gone, however long that takes
            return await receive()
        try:
            message = await asyncio.wait_for(receive(), _SILENT_SECONDS)
        except TimeoutError:
            words = f"the rest did not come within {_SILENT_SECONDS:.0f} seconds"
            raise HTTPException(408, words, {"Connection": "close"}) from None
        taken += len(message.get("body", b""))
        whole = not message.get("more_body", False)
        if taken > most:
            words = f"too much at once: at most {most:,} bytes are taken here"
            raise HTTPException(413, words, {"Connection": "close"})
        return message

    return next_message

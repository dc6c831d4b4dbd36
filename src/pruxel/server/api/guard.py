"""Who may talk to the server: this installation's token as a cookie, our own host names, our own pages."""

from __future__ import annotations

import hmac
from urllib.parse import urlsplit

from starlette.requests import Request
from starlette.responses import JSONResponse, RedirectResponse, Response
from starlette.types import ASGIApp, Receive, Scope, Send

from pruxel.server.settings import settings

COOKIE = "pruxel_access"
_HOSTS = {"127.0.0.1", "localhost", "[::1]", "testserver"}
_SAFE = {"GET", "HEAD", "OPTIONS"}


def _refused(status: int, title: str, detail: str) -> Response:
    body = {"title": title, "status": status, "code": "refused", "detail": detail}
    return JSONResponse(body, status, media_type="application/problem+json")


class Guard:
    """ASGI middleware around everything."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app
        self._token = settings().access_token()

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass on, redirect the printed link, or refuse."""
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        request = Request(scope)
        answer = self._answer(request)
        await (self._app if answer is None else answer)(scope, receive, send)

    def _answer(self, request: Request) -> Response | None:
        host = urlsplit(f"//{request.headers.get('host', '')}").hostname or ""
        if host not in {h.strip("[]") for h in _HOSTS} | {settings().host}:
            return _refused(421, "Unknown host", "This server answers only under its own loopback names.")
        origin = request.headers.get("origin")
        if (
            request.method not in _SAFE
            and origin is not None
            and urlsplit(origin).netloc != request.headers.get("host")
        ):
            return _refused(403, "Foreign page", "Changes are taken only from Pruxel's own page.")
        key = request.query_params.get("key")
        if key is not None and request.url.path == "/" and hmac.compare_digest(key, self._token):
            response = RedirectResponse("/", 303)
            response.set_cookie(COOKIE, self._token, max_age=365 * 86400, httponly=True, samesite="strict")
            return response
        if request.url.path.startswith("/api/") and not self._knows(request):
            return _refused(401, "No access", "Open the link that `make demo` or `pruxel serve` printed.")
        return None

    def _knows(self, request: Request) -> bool:
        return hmac.compare_digest(request.cookies.get(COOKIE, ""), self._token)

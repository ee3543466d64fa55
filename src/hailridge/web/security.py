"""Only pages of this server may talk to it: Host and Origin are checked on every request, a token is needed elsewhere than on this machine."""

from __future__ import annotations

import hmac
from urllib.parse import parse_qs, urlsplit

from starlette.datastructures import Headers
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Receive, Scope, Send

LOCAL = {"127.0.0.1", "localhost", "[::1]"}
MOST_BODY = 70 * 1024 * 1024


class Guard:
    """ASGI middleware for HTTP and WebSocket alike."""

    def __init__(self, app: ASGIApp, hosts: frozenset[str] = frozenset(LOCAL), token: str | None = None) -> None:
        self.app, self.hosts, self.token = app, hosts, token

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] not in ("http", "websocket"):
            await self.app(scope, receive, send)
            return
        refusal = self._refusal(scope)
        if refusal is None:
            await self.app(scope, receive, send)
        elif scope["type"] == "websocket":
            await send({"type": "websocket.close", "code": 1008, "reason": refusal[:100]})
        else:
            await JSONResponse({"detail": refusal}, status_code=403)(scope, receive, send)

    def _refusal(self, scope: Scope) -> str | None:
        headers = Headers(scope=scope)
        host = headers.get("host", "")
        if _name(host) not in self.hosts:
            return f"this server does not answer for the host '{host}'"
        origin = headers.get("origin")
        if origin is not None and urlsplit(origin).netloc != host:
            return f"pages from '{origin}' may not use this server"
        length = headers.get("content-length", "0")
        if length.isdigit() and int(length) > MOST_BODY:
            return "the request is too large"
        if self.token is not None:
            given = headers.get("authorization", "").removeprefix("Bearer ") or _query_token(scope)
            if not hmac.compare_digest(given.encode(), self.token.encode()):
                return "a token is needed: open the address that was printed when the server started"
        return None


def _name(host: str) -> str:
    return host.rsplit(":", 1)[0] if not host.endswith("]") else host


def _query_token(scope: Scope) -> str:
    cookie = Headers(scope=scope).get("cookie", "")
    stored = [part.split("=", 1)[1] for part in cookie.split("; ") if part.startswith("hailridge_token=")]
    given: list[str] = parse_qs(scope.get("query_string", b"").decode()).get("token", stored or [""])
    return given[0]

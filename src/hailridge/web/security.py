"""Only pages of this server may talk to it: Host and Origin are checked on every request, a token is needed elsewhere than on this machine."""

from __future__ import annotations

import hmac
import socket
from html import escape
from urllib.parse import parse_qsl, quote, urlencode, urlsplit

from starlette.datastructures import Headers
from starlette.exceptions import HTTPException
from starlette.requests import cookie_parser
from starlette.responses import HTMLResponse, JSONResponse, Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

LOCAL = {"127.0.0.1", "localhost", "[::1]"}

MOST_BODY = 8 * 1024 * 1024
"""Bytes of a request; a document is limited to a quarter of it."""

MOST_UPLOADED = 72 * 1024 * 1024
"""Bytes of a request that carries a file or a drawn frame."""

UPLOADS = ("/api/assets", "/api/pictures", "/api/clips", "/api/effects/bring-in")

NO_TOKEN = "a token is needed: open the address that was printed when the server started"

_PAGE = '<!doctype html><meta charset="utf-8">{head}<title>Hailridge</title>{body}'


def names_of_this_machine() -> set[str]:
    """Host names under which others may know this machine; its addresses are known from each connection."""
    names = {socket.gethostname().lower(), socket.getfqdn().lower()}
    return {name for known in names for name in (known, known.split(".")[0], known.split(".")[0] + ".local") if name}


class Guard:
    """ASGI middleware for HTTP and WebSocket alike.

    Parameters
    ----------
    app : ASGIApp
    hosts : frozenset of str
        Names that the Host header may hold, IPv6 addresses in brackets.
    token : str or None
        What every request has to bring, as bearer, cookie or `?token=`.
    any_address : bool
        Whether the address at which a connection arrived is let in too: so it is where the server listens on all of them.
    """

    def __init__(self, app: ASGIApp, hosts: frozenset[str], token: str | None, any_address: bool) -> None:
        self.app, self.hosts, self.token, self.any_address = app, hosts, token, any_address

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] not in ("http", "websocket"):
            await self.app(scope, receive, send)
            return
        headers = Headers(scope=scope)
        status, refusal = self._refusal(scope, headers)
        if refusal is not None and scope["type"] == "websocket":
            await send({"type": "websocket.close", "code": 1008, "reason": refusal[:100]})
        elif refusal is not None:
            await _refused(headers, status, refusal)(scope, receive, send)
        elif self.token is not None and _is_page(scope, headers) and _in_query(scope):
            await self._welcome(scope, headers)(scope, receive, send)
        else:
            await self.app(scope, _limited(scope, receive) if scope["type"] == "http" else receive, send)

    def _refusal(self, scope: Scope, headers: Headers) -> tuple[int, str | None]:
        host = headers.get("host", "")
        if not self._lets_in(scope, _name(host)):
            return 403, f"this server does not answer for the host '{_name(host)}'; start it with --allow-host {_name(host)} if it should"
        origin = headers.get("origin")
        if origin is not None and urlsplit(origin).netloc.lower() != host.lower():
            return 403, f"pages from '{origin}' may not use this server"
        length = headers.get("content-length", "0")
        if length.isdigit() and int(length) > _most(scope):
            return 413, _too_large(scope)
        if self.token is not None:
            given = headers.get("authorization", "").removeprefix("Bearer ") or _in_query(scope) or _in_cookie(headers)
            if not hmac.compare_digest(given.encode(errors="replace"), self.token.encode()):
                return 403, NO_TOKEN
        return 200, None

    def _lets_in(self, scope: Scope, name: str) -> bool:
        if name in self.hosts:
            return True
        address = (scope.get("server") or ("",))[0]
        return self.any_address and name in (address, f"[{address}]")

    def _welcome(self, scope: Scope, headers: Headers) -> Response:
        """Keep the token in the browser and take it out of the address.

        Not by a redirect: one that began on another site would arrive without a cookie that is only for this one.
        """
        rest = [(name, value) for name, value in parse_qsl(scope["query_string"].decode()) if name != "token"]
        address = quote(scope["path"]) + (f"?{urlencode(rest)}" if rest else "")
        response = HTMLResponse(_PAGE.format(head=f'<meta http-equiv="refresh" content="0;url={escape(address)}">', body=""))
        response.set_cookie(_cookie(headers), self.token or "", max_age=90 * 86400, httponly=True, samesite="strict", path="/")
        response.headers["Referrer-Policy"], response.headers["Cache-Control"] = "no-referrer", "no-store"
        return response


def _limited(scope: Scope, receive: Receive) -> Receive:
    """Count what really comes: a request in chunks does not say its length beforehand."""
    came, most = 0, _most(scope)

    async def counted() -> Message:
        nonlocal came
        message = await receive()
        came += len(message.get("body", b""))
        if came > most:
            # The rest is not waited for.
            raise HTTPException(413, _too_large(scope), {"Connection": "close"})
        return message

    return counted


def _most(scope: Scope) -> int:
    return MOST_UPLOADED if scope["path"].startswith(UPLOADS) else MOST_BODY


def _too_large(scope: Scope) -> str:
    return f"the request is larger than {_most(scope) / 1e6:.0f} MB"


def _is_page(scope: Scope, headers: Headers) -> bool:
    return scope["type"] == "http" and scope["method"] == "GET" and not scope["path"].startswith("/api/") and "text/html" in headers.get("accept", "")


def _refused(headers: Headers, status: int, text: str) -> Response:
    if "text/html" in headers.get("accept", ""):
        page = _PAGE.format(head="", body=f'<p style="font: 16px sans-serif; margin: 4em">{escape(text[0].upper() + text[1:])}.</p>')
        return HTMLResponse(page, status)
    return JSONResponse({"detail": text}, status, {"Connection": "close"} if status == 413 else None)


def _name(host: str) -> str:
    name = host.rsplit(":", 1)[0] if not host.endswith("]") else host
    return name.lower()


def _cookie(headers: Headers) -> str:
    # Cookies do not know ports: two servers of one machine would take each other's token away.
    port = headers.get("host", "").removeprefix(_name(headers.get("host", ""))).strip(":")
    return f"hailridge_token_{port or '80'}"


def _in_cookie(headers: Headers) -> str:
    return str(cookie_parser(headers.get("cookie", "")).get(_cookie(headers), ""))


def _in_query(scope: Scope) -> str:
    return str(dict(parse_qsl(scope.get("query_string", b"").decode(errors="replace"))).get("token", ""))

"""Who may use the server: a token, and only pages that this server itself gave out.

Other users of the same computer can reach loopback, and any page in the same browser can send requests
to it. So every request needs the token (programs send it; a browser shows it once, in the address, and gets a session of
its own in a strict cookie), a Host header that names this server, and, where a browser says where a request comes from,
our own Origin. Pages may load nothing from elsewhere, and stand in no other page's frame.
"""

import hmac
from http.cookies import CookieError, SimpleCookie
from urllib.parse import parse_qs, urlencode

from starlette.datastructures import Headers
from starlette.responses import HTMLResponse, JSONResponse, RedirectResponse, Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from tidybench.web.sessions import LASTS, Sessions

MAX_BODY = 2 * 1024 * 1024

_NEEDS_TOKEN = """<!doctype html><html lang="en"><meta charset="utf-8"><title>Tidy Bench</title>
<body style="font:18px/1.5 sans-serif;max-width:34em;margin:4em auto;padding:0 1em;background:#E6EDE8;color:#12241D">
<h1 style="font-size:1.4em">This address needs its token</h1>
<p>Open the whole address that Tidy Bench printed when it started, the part after the question mark too.
<code>./tidy address</code> prints it again.</p></body></html>"""


class Access:
    """ASGI middleware in front of everything."""

    def __init__(self, app: ASGIApp, token: str, port: int, sessions: Sessions) -> None:
        self._app, self._token, self._sessions = app, token, sessions
        self._cookie = f"tidybench-{port}"
        self._hosts = {f"{name}:{port}" for name in ("127.0.0.1", "localhost", "[::1]")}
        self._origins = {f"http://{host}" for host in self._hosts}
        self._policy = content_policy(
            " ".join(f"ws://{name}:{port}" for name in ("127.0.0.1", "localhost"))
        ).encode()

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] not in ("http", "websocket"):
            await self._app(scope, receive, send)
            return
        headers = Headers(scope=scope)
        refusal = self._refusal(scope, headers)
        if scope["type"] == "http":
            send = _hardened(send, self._policy)
        if refusal is None:
            await self._app(scope, receive, send)
        elif scope["type"] == "websocket":
            await receive()
            await send({"type": "websocket.close", "code": 1008, "reason": "not allowed"})
        else:
            await refusal(scope, receive, send)

    def _refusal(self, scope: Scope, headers: Headers) -> Response | None:
        host, origin = headers.get("host", ""), headers.get("origin")
        if host.lower() not in self._hosts:
            return _no(
                421, f"This server is not called “{host[:100]}”. Open the address that Tidy Bench printed."
            )
        if origin is not None and origin.lower() not in self._origins:
            return _no(403, f"A page of {origin[:100]} may not use this bench.")
        length = headers.get("content-length", "0")
        if not length.isdigit() or int(length) > MAX_BODY:
            return _no(413, f"That is too large: at most {MAX_BODY // 2**20} MB are imported one request.")
        query = parse_qs(scope["query_string"].decode("latin-1"))
        if scope["type"] == "http" and scope["method"] == "GET" and self._right(query.pop("token", [""])[0]):
            rest = urlencode(query, doseq=True)
            response = RedirectResponse(scope["path"] + (f"?{rest}" if rest else ""), 303)
            response.set_cookie(
                self._cookie, self._sessions.begin(), httponly=True, samesite="strict", max_age=LASTS
            )
            return response
        bearer = headers.get("authorization", "")
        if bearer.startswith("Bearer ") and self._right(bearer.removeprefix("Bearer ")):
            return None
        if not bearer and self._sessions.holds(self._given(headers)):
            return None
        if scope["path"].startswith("/api/"):
            return _no(401, "This needs the token: open the whole address that Tidy Bench printed.")
        return HTMLResponse(_NEEDS_TOKEN, 401)

    def _given(self, headers: Headers) -> str:
        try:
            cookie = SimpleCookie(headers.get("cookie", "")).get(self._cookie)
        except CookieError:
            return ""
        return cookie.value if cookie else ""

    def _right(self, given: str) -> bool:
        return bool(given) and hmac.compare_digest(given.encode(), self._token.encode())


def content_policy(sockets: str) -> str:
    """What pages may load and connect to: this server alone (Content Security Policy, W3C). `sockets`: its live sockets'
    addresses, which older browsers do not count as its own. Styles are made in the page (styled-components)."""
    return (
        "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; font-src 'self' data:; "
        f"connect-src 'self' {sockets}; object-src 'none'; base-uri 'none'; form-action 'self'; "
        "frame-ancestors 'none'"
    )


HARDENED = [
    (b"x-content-type-options", b"nosniff"),
    (b"x-frame-options", b"DENY"),
    (b"referrer-policy", b"no-referrer"),
    (b"cross-origin-opener-policy", b"same-origin"),
    (b"cross-origin-resource-policy", b"same-origin"),
]


def _hardened(send: Send, policy: bytes) -> Send:
    own = [(b"content-security-policy", policy), *HARDENED]

    async def with_headers(message: Message) -> None:
        if message["type"] == "http.response.start":
            message = {**message, "headers": [*message.get("headers", []), *own]}
        await send(message)

    return with_headers


def _no(status: int, why: str) -> JSONResponse:
    return JSONResponse({"detail": why}, status)

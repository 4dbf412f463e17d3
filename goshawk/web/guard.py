"""Refuses requests that come from elsewhere: a web page of another site must not be able to listen to
the microphone, nor a name that merely points at this machine (DNS rebinding), nor may it frame our page or embed a
take.

The Host must be one of this machine's own names, and the Origin, which browsers send with every
WebSocket and every changing request, must be the same place as the Host. What browsers say of a request's own
place (Fetch Metadata) must not be another site.
"""

import re
from urllib.parse import urlsplit

from starlette.datastructures import Headers, MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from goshawk.web.errors import problem

_OWN_HOST = re.compile(r"(127\.0\.0\.1|localhost|\[::1\])(:\d{1,5})?", re.IGNORECASE)
FOREIGN_SITES = frozenset({"cross-site", "same-site"})
"""``same-site`` is another port of this machine: another program's page."""

LARGEST_BODY_BYTES = 2_000_000
"""Of everything but sound files, which are counted where they are received."""

_SOUND_BODIES = ("/api/sound-files", "/api/sound-check/takes/")

ON_EVERY_REPLY = {
    "Content-Security-Policy": (
        "default-src 'self'; img-src 'self' data: blob:; media-src 'self' blob:; style-src 'self' 'unsafe-inline'; "
        "connect-src 'self' ws://127.0.0.1:* ws://localhost:*; worker-src 'self' blob:; object-src 'none'; base-uri 'none'; "
        "form-action 'none'; frame-ancestors 'none'"
    ),
    "X-Content-Type-Options": "nosniff",
    "X-Frame-Options": "DENY",
    "Cross-Origin-Resource-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Referrer-Policy": "no-referrer",
}
"""Radix positions its parts by style attributes, hence their one exception."""


def _place(origin: str) -> str | None:
    """Host and port of an origin; None if it is none."""
    try:
        return urlsplit(origin).netloc
    except ValueError:
        return None


def refusal(host: str, origin: str | None, site: str | None = None) -> str | None:
    """Why a request is refused; None if it is welcome."""
    if not _OWN_HOST.fullmatch(host):
        return f"Requests for the host {host!r} are refused. Open http://127.0.0.1 with the port instead."
    if origin is not None and _place(origin) != host:
        return f"Requests from {origin!r} are refused: only this application's own page may use it."
    if site in FOREIGN_SITES:
        return (
            "Requests from another site are refused: only this application's own page may use it."
        )
    return None


class Guard:
    """ASGI middleware in front of everything, WebSockets too."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] == "http":

            async def send_guarded(message: Message) -> None:
                if message["type"] == "http.response.start":
                    MutableHeaders(scope=message).update(ON_EVERY_REPLY)
                await send(message)

            reason = _reason(scope)
            if reason:
                await problem(403, "foreign_request", reason)(scope, receive, send_guarded)
            else:
                await self._app(scope, receive, send_guarded)
            return
        if scope["type"] == "websocket" and (reason := _reason(scope)):
            await send({"type": "websocket.close", "code": 1008, "reason": reason[:120]})
            return
        await self._app(scope, receive, send)


def _reason(scope: Scope) -> str | None:
    headers = Headers(scope=scope)
    site = headers.get("sec-fetch-site")
    # A link or a bookmark may lead to our page: that is no request of another.
    is_opened = (
        headers.get("sec-fetch-mode") == "navigate"
        and scope.get("method") == "GET"
        and not scope["path"].startswith("/api/")
    )
    is_framed = headers.get("sec-fetch-dest") in ("iframe", "frame", "embed", "object")
    return refusal(
        headers.get("host", ""),
        headers.get("origin"),
        None if is_opened and not is_framed else site,
    )


class BodyLimit:
    """ASGI middleware: a body that is too large is refused before it fills the memory."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or scope["path"].startswith(_SOUND_BODIES):
            await self._app(scope, receive, send)
            return
        text = (
            f"The request is larger than {LARGEST_BODY_BYTES // 1_000_000} MB. Send less at once."
        )
        too_large = problem(413, "too_large", text)
        length = Headers(scope=scope).get("content-length", "0")
        if not length.isdigit() or int(length) > LARGEST_BODY_BYTES:
            await too_large(scope, receive, send)
            return
        if "transfer-encoding" not in Headers(scope=scope):
            await self._app(scope, receive, send)
            return
        # Without a length it is read first, as far as the limit.
        body, more = b"", True
        while more:
            message = await receive()
            if message["type"] != "http.request":
                return
            body += message.get("body", b"")
            more = message.get("more_body", False)
            if len(body) > LARGEST_BODY_BYTES:
                await too_large(scope, receive, send)
                return
        is_given = False

        async def receive_again() -> Message:
            nonlocal is_given
            if is_given:
                return await receive()
            is_given = True
            return {"type": "http.request", "body": body, "more_body": False}

        await self._app(scope, receive_again, send)

"""Refuses requests that come from elsewhere: a web page of another site must not be able to listen to
the microphone, nor a name that merely points at this machine (DNS rebinding), nor may it frame our page or embed a
take; nor may another user of this computer, or a program without a token, change or hear anything.

The Host must be one of this machine's own names, and the Origin, which browsers send with every
WebSocket and every changing request, must be the same place as the Host. What browsers say of a request's own
place (Fetch Metadata) must not be another site. Where the system tells whose process is at the other end, it must be this user's.

Levels and state may be read by any program of this user. All that changes something, or hears, is for our own page, or needs a
token. This keeps out other users, other sites and programs that were not let in; it cannot keep out a program of this user that
pretends to be the page: that one could read the microphone by itself.
"""

import re
from urllib.parse import parse_qs

from starlette.datastructures import Headers, MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from goshawk.errors import NotAllowed
from goshawk.system.peers import Peers
from goshawk.web.access import credential_of
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
        "connect-src 'self'; worker-src 'self' blob:; object-src 'none'; base-uri 'none'; "
        "form-action 'none'; frame-ancestors 'none'"
    ),
    "X-Content-Type-Options": "nosniff",
    "X-Frame-Options": "DENY",
    "Cross-Origin-Resource-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Referrer-Policy": "no-referrer",
}
"""Radix positions its parts by style attributes, hence their one exception."""


_HEARD = re.compile(
    r"/api/(recordings/[^/]+/(listen|tracks/.*|hand-over/zip)|sound-check/sound/.*|watch/listen)"
)
"""Replies that are sound. Streams by address and their page look after their tokens themselves."""

_LINKS = frozenset({"/api/live", "/api/audio"})

NEEDS_TOKEN = (
    "A program that changes or hears something needs a token. Make one in Goshawk, under Wiring, Addresses, and send it as "
    "“Authorization: Bearer …”."
)
OTHER_USER = "Requests of other users of this computer are refused. Start a Goshawk of your own."


def refusal(host: str, origin: str | None, site: str | None = None) -> str | None:
    """Why a request is refused; None if it is welcome."""
    if not _OWN_HOST.fullmatch(host):
        return f"Requests for the host {host!r} are refused. Open http://127.0.0.1 with the port instead."
    if origin is not None and origin.lower() != f"http://{host}".lower():
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
        self._peers = Peers()

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] == "http":

            async def send_guarded(message: Message) -> None:
                if message["type"] == "http.response.start":
                    MutableHeaders(scope=message).update(ON_EVERY_REPLY)
                await send(message)

            if reason := self._reason(scope):
                await problem(403, "foreign_request", reason)(scope, receive, send_guarded)
            elif not _is_let_in(scope):
                await problem(401, NotAllowed.code, NEEDS_TOKEN)(scope, receive, send_guarded)
            else:
                await self._app(scope, receive, send_guarded)
            return
        if scope["type"] == "websocket":
            reason = self._reason(scope) or ("" if _is_let_in(scope) else NEEDS_TOKEN)
            if reason:
                await send({"type": "websocket.close", "code": 1008, "reason": reason[:120]})
                return
        await self._app(scope, receive, send)

    def _reason(self, scope: Scope) -> str | None:
        peer, own = scope.get("client"), scope.get("server")
        if peer and own and self._peers.is_ours(tuple(peer), tuple(own)) is False:
            return OTHER_USER
        return _reason(scope)


def _is_let_in(scope: Scope) -> bool:
    """Whether a request may do what it asks: it only reads, or comes from our own page, or has a token."""
    headers, path = Headers(scope=scope), scope["path"]
    if scope["type"] == "websocket":
        is_free = path not in _LINKS
    elif scope["method"] in ("GET", "HEAD", "OPTIONS"):
        is_free = not _HEARD.fullmatch(path)
    else:
        is_free = not path.startswith("/api/")
    if is_free or is_own_page(headers):
        return True
    query = parse_qs(scope.get("query_string", b"").decode("latin-1"))
    token = credential_of(headers, (query.get("token") or [None])[0])
    try:
        scope["app"].state.application.access.check(token or "")
    except NotAllowed:
        return False
    return True


def is_own_page(headers: Headers) -> bool:
    """Whether a browser says that a request comes from our own page, or was opened by the user."""
    origin = headers.get("origin")
    if origin is not None:
        return origin.lower() == f"http://{headers.get('host', '')}".lower()
    return headers.get("sec-fetch-site") in ("same-origin", "none")


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

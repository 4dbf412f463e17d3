"""Refuses requests that come from elsewhere: a web page of another site must not be able to listen to
the microphone, nor a name that merely points at this machine (DNS rebinding).

The Host must be one of this machine's own names, and the Origin, which browsers send with every
WebSocket and every changing request, must be the same place as the Host.
"""

from urllib.parse import urlsplit

from starlette.datastructures import Headers
from starlette.types import ASGIApp, Receive, Scope, Send

from goshawk.web.errors import problem

OWN_NAMES = frozenset({"127.0.0.1", "localhost", "[::1]", "::1"})


def refusal(host: str, origin: str | None) -> str | None:
    """Why a request is refused; None if it is welcome."""
    name = urlsplit(f"//{host}").hostname or ""
    if name not in OWN_NAMES:
        return f"Requests for the host {name!r} are refused. Open http://127.0.0.1 with the port instead."
    if origin is not None and urlsplit(origin).netloc != host:
        return f"Requests from {origin} are refused: only this application's own page may use it."
    return None


class Guard:
    """ASGI middleware in front of everything, WebSockets too."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] in ("http", "websocket"):
            headers = Headers(scope=scope)
            reason = refusal(headers.get("host", ""), headers.get("origin"))
            if reason:
                if scope["type"] == "websocket":
                    await send({"type": "websocket.close", "code": 1008, "reason": reason[:120]})
                else:
                    await problem(403, "foreign_request", reason)(scope, receive, send)
                return
        await self._app(scope, receive, send)

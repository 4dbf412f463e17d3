"""Hearing by address: streams and a bare page, for other programs on this machine."""

import contextlib
from collections.abc import AsyncIterator
from contextlib import aclosing
from typing import Annotated

from fastapi import APIRouter, Path, Query, Request, WebSocket, WebSocketDisconnect
from fastapi.responses import StreamingResponse
from pydantic import BaseModel, ConfigDict, Field

from goshawk.core.feeds import FEED_PATTERN
from goshawk.core.routing import FeedName
from goshawk.core.settings import PLAIN_TEXT
from goshawk.errors import GoshawkError, NotFound
from goshawk.web.access import credential_of
from goshawk.web.application import Application
from goshawk.web.dependencies import ApplicationDep
from goshawk.web.points import Listener
from goshawk.web.streams import MEDIA_TYPES, StreamFormat, stream

router = APIRouter(tags=["addresses"])
LONGEST_TOKEN = 200

Token = Annotated[str | None, Query(max_length=LONGEST_TOKEN)]


class NewAddress(BaseModel):
    """Who is to hear: a name by which you know the program or the device."""

    model_config = ConfigDict(extra="forbid")
    name: Annotated[str, Field(min_length=1, max_length=60), PLAIN_TEXT]


class MadeAddress(BaseModel):
    """A token that was just made. It is not shown again."""

    id: str
    token: str


@router.post("/api/addresses", status_code=201)
async def make_address(application: ApplicationDep, wanted: NewAddress) -> MadeAddress:
    """Make a token by which a program may hear any feed or input."""
    token_id, token = await application.access.make(wanted.name)
    return MadeAddress(id=token_id, token=token)


@router.delete("/api/addresses/{token_id}", status_code=204)
async def take_address_back(application: ApplicationDep, token_id: str) -> None:
    """Take a token back. Whoever hears by it hears no more."""
    await application.access.take_back(token_id)


@router.head("/api/feeds/{feed}/stream.{kind}", include_in_schema=False)
@router.get("/api/feeds/{feed}/stream.{kind}", response_class=StreamingResponse)
async def stream_feed(
    request: Request,
    application: ApplicationDep,
    feed: FeedName,
    kind: StreamFormat,
    token: Token = None,
) -> StreamingResponse:
    """A feed as an endless file: WAV (float32), FLAC or Ogg Opus, 48 kHz, stereo."""
    return await _streamed(request, application, feed, kind, token)


@router.head("/api/inputs/{input_id}/stream.{kind}", include_in_schema=False)
@router.get("/api/inputs/{input_id}/stream.{kind}", response_class=StreamingResponse)
async def stream_input(
    request: Request,
    application: ApplicationDep,
    input_id: Annotated[str, Path(pattern=r"^[a-z0-9_]{1,40}$")],
    kind: StreamFormat,
    token: Token = None,
) -> StreamingResponse:
    """An input behind its chain, ahead of its fader, as an endless file."""
    return await _streamed(request, application, f"input:{input_id}", kind, token)


def _point_of(application: Application, what: str) -> str:
    """A feed's name, or ``input:`` and an input's id. Raises NotFound."""
    kind, _, input_id = what.partition(":")
    if kind == "input" and all(one.id != input_id for one in application.desk.rig.inputs):
        raise NotFound("There is no such input.")
    return what


async def _streamed(
    request: Request, application: Application, what: str, kind: StreamFormat, token: str | None
) -> StreamingResponse:
    credential = credential_of(request.headers, token)
    application.access.require(credential)
    point = _point_of(application, what)
    await application.access.note(credential)

    async def until_the_end() -> AsyncIterator[bytes]:
        # Who is gone before the first piece has never heard.
        with application.access.hearing(credential) as end:
            async with aclosing(stream(application.points, point, kind, end)) as pieces:
                async for piece in pieces:
                    yield piece

    body = _nothing() if request.method == "HEAD" else until_the_end()
    headers = {"Cache-Control": "no-store", "Accept-Ranges": "none"}
    return StreamingResponse(body, media_type=MEDIA_TYPES[kind], headers=headers)


async def _nothing() -> AsyncIterator[bytes]:
    return
    yield b""


@router.websocket("/api/listen")
async def listen(
    socket: WebSocket,
    application: ApplicationDep,
    what: Annotated[str, Query(pattern=rf"^({FEED_PATTERN}|input:[a-z0-9_]{{1,40}})$")],
    token: Annotated[str, Query(max_length=LONGEST_TOKEN)] = "",
) -> None:
    """The sound for a bare page that plays one thing (``/listen/…``): interleaved stereo float32 at 48 kHz."""
    await socket.accept()
    listener = Listener()
    try:
        with application.access.hearing(token) as end:
            await application.access.note(token)
            application.points.listen(listener, _point_of(application, what))
            with contextlib.suppress(WebSocketDisconnect, RuntimeError):
                await listener.send_to(socket.send_bytes, end)
        await socket.close(1000)
    except GoshawkError as error:
        await socket.close(1008, str(error)[:120])
    except RuntimeError:
        return  # It is gone already.
    finally:
        application.points.listen(listener, None)

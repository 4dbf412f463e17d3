"""The sound link: what a listener or one input sounds like to the page, the browser's microphone from it.

To the page: binary messages of interleaved stereo float32 at 48 kHz. From the page: JSON text that
says what it wants (``AudioRequest``), then, if it gives a microphone, binary messages of interleaved
float32 at the rate and channels it named.
"""

import asyncio
import contextlib

from fastapi import APIRouter, WebSocket, WebSocketDisconnect
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from goshawk.core.feeds import FEED_PATTERN
from goshawk.devices.browser import RATES_HZ
from goshawk.page_messages.live import Refusal
from goshawk.web.application import Application
from goshawk.web.dependencies import ApplicationDep
from goshawk.web.points import Listener

router = APIRouter()
LARGEST_TEXT = 4096
LARGEST_SOUND_BYTES = 65_536


_ID = "[a-z0-9_]{1,40}"
HEARD_POINTS = (
    rf"^({FEED_PATTERN}|(input|removed):{_ID}|band:{_ID}:{_ID}|taken:{_ID}:(room|voices))$"
)


class GivenMicrophone(BaseModel):
    """Format of the microphone's sound."""

    model_config = ConfigDict(extra="forbid")
    rate_hz: int = Field(ge=RATES_HZ[0], le=RATES_HZ[-1])
    channels: int = Field(ge=1, le=2)


class AudioRequest(BaseModel):
    """What the page wants from now on."""

    model_config = ConfigDict(extra="forbid")
    listen: bool = False
    hear: str = Field("you", pattern=HEARD_POINTS)
    """As which listener; which input alone; what a stage removes; or one band of an EQ alone."""
    microphone: GivenMicrophone | None = None


@router.websocket("/api/audio")
async def audio(socket: WebSocket, application: ApplicationDep) -> None:
    """Serve one page's sound until it is gone."""
    await socket.accept()
    listener = Listener()
    sending = asyncio.create_task(_send(socket, listener))
    microphone: GivenMicrophone | None = None
    try:
        while True:
            message = await socket.receive()
            if message["type"] == "websocket.disconnect":
                return
            if (text := message.get("text")) is not None:
                request = _request(text)
                if request is None:
                    await _refuse(socket, "The message was not understood. Reload the page.")
                    continue
                microphone = _follow(application, listener, request)
            elif microphone is None:
                await _refuse(socket, "Say the microphone's rate and channels before its sound.")
            else:
                samples = message["bytes"]
                frame_bytes = 4 * microphone.channels
                if len(samples) % frame_bytes or len(samples) > LARGEST_SOUND_BYTES:
                    await _refuse(
                        socket,
                        "The microphone's sound must come as whole frames of float32, at most "
                        f"{LARGEST_SOUND_BYTES} bytes a message.",
                    )
                    continue
                application.microphone.push(
                    listener, microphone.rate_hz, microphone.channels, samples
                )
    finally:
        sending.cancel()
        application.points.listen(listener, None)
        application.microphone.leave(listener)


def _request(text: str) -> AudioRequest | None:
    if len(text) > LARGEST_TEXT:
        return None
    try:
        return AudioRequest.model_validate_json(text)
    except ValidationError:
        return None


def _follow(
    application: Application, listener: Listener, request: AudioRequest
) -> GivenMicrophone | None:
    application.points.listen(listener, request.hear if request.listen else None)
    if request.microphone:
        application.microphone.claim(listener)
    else:
        application.microphone.release(listener)
    return request.microphone


async def _refuse(socket: WebSocket, text: str) -> None:
    """Say it, if somebody is still there: whoever left meanwhile is seen at the next message."""
    with contextlib.suppress(WebSocketDisconnect, RuntimeError):
        await socket.send_text(Refusal(code="bad_message", text=text).model_dump_json())


async def _send(socket: WebSocket, listener: Listener) -> None:
    with contextlib.suppress(WebSocketDisconnect, RuntimeError):
        await listener.send_to(socket.send_bytes)

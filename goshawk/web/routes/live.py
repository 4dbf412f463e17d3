"""The live link: settings both ways, readings to the page."""

import asyncio
import contextlib
import logging
from collections.abc import Coroutine
from typing import Any

from fastapi import APIRouter, WebSocket, WebSocketDisconnect
from pydantic import TypeAdapter, ValidationError

from goshawk.errors import BadSetting, GoshawkError
from goshawk.page_messages.live import FromPage, Refusal
from goshawk.web.application import Application
from goshawk.web.commands import obey
from goshawk.web.dependencies import ApplicationDep
from goshawk.web.live_page import LivePage

log = logging.getLogger(__name__)
router = APIRouter()
LARGEST_MESSAGE = 4096
MOST_AT_WORK = 32
_from_page: TypeAdapter[FromPage] = TypeAdapter(FromPage)


@router.websocket("/api/live")
async def live(socket: WebSocket, application: ApplicationDep) -> None:
    """Speak with one page until it is gone. Messages are taken up in their order, but none waits for another to be
    finished: a mute is not held up by what computes or waits for the disk."""
    await socket.accept()
    page = application.visits.open()
    sending = asyncio.create_task(_send(socket, page))
    at_work: set[asyncio.Task[None]] = set()

    def begin(work: Coroutine[Any, Any, None]) -> None:
        task = asyncio.create_task(work)
        at_work.add(task)
        task.add_done_callback(at_work.discard)

    begin(application.visits.tell_opening(page))
    try:
        while True:
            message = await socket.receive()
            if message["type"] == "websocket.disconnect":
                return
            begin(_answer(application, page, message.get("text")))
            if len(at_work) >= MOST_AT_WORK:
                await asyncio.wait(at_work, return_when=asyncio.FIRST_COMPLETED)
    finally:
        sending.cancel()
        application.visits.close(page)


async def _answer(application: Application, page: LivePage, text: str | None) -> None:
    refusal = await _obey(application, page, text)
    if refusal:
        page.tell(refusal.model_dump_json())
        page.tell(application.state.make().model_dump_json())


async def _send(socket: WebSocket, page: LivePage) -> None:
    with contextlib.suppress(WebSocketDisconnect, RuntimeError):
        while True:
            await socket.send_text(await page.next())


async def _obey(application: Application, page: LivePage, text: str | None) -> Refusal | None:
    """Do what a message asks; what is wrong with it, if it cannot be done."""
    if text is None or len(text) > LARGEST_MESSAGE:
        return Refusal(
            code="bad_message",
            text=f"A message on this link is JSON text of at most {LARGEST_MESSAGE} characters.",
        )
    try:
        asked = _from_page.validate_json(text)
    except ValidationError as error:
        first = error.errors()[0]
        return Refusal(
            code="bad_message",
            text=f"The message was not understood: {first['msg']}. Reload the page.",
        )
    try:
        await obey(application, page, asked)
    except GoshawkError as error:
        field = error.field if isinstance(error, BadSetting) else ""
        return Refusal(code=error.code, text=str(error), field=field)
    except Exception:
        log.exception("a message of a page could not be obeyed: %s", asked.type)
        return Refusal(
            code="internal",
            text="Something went wrong inside Goshawk. What is set is kept: try again.",
        )
    return None

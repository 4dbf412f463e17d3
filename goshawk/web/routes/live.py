"""The live link: settings both ways, readings to the page."""

import asyncio
import contextlib
import logging

from fastapi import APIRouter, WebSocket, WebSocketDisconnect
from pydantic import TypeAdapter, ValidationError

from goshawk.errors import BadSetting, GoshawkError
from goshawk.web.dependencies import StudioDep
from goshawk.web.messages import (
    AddInput,
    AddStage,
    BringToTarget,
    ChooseTargets,
    CopyStage,
    Cough,
    CountAnew,
    Dismiss,
    Fault,
    FindBuffer,
    ForgetRoom,
    FromPage,
    KeepOther,
    LearnRoom,
    LoopHear,
    LoopLast,
    LoopNew,
    LoopStop,
    MeasureDelay,
    MeasureGain,
    MoveInput,
    MoveStage,
    Redo,
    Refusal,
    RemoveInput,
    RemoveStage,
    ReplayHear,
    ReplayLast,
    ReplayStop,
    SetSetting,
    SetTogether,
    ShowAll,
    SuggestDucker,
    SwapOther,
    TrySetting,
    TryTogether,
    Undo,
    WatchBalance,
    WatchChain,
    WatchDevices,
    WatchStage,
)
from goshawk.web.pages import LivePage
from goshawk.web.studio import Studio

log = logging.getLogger(__name__)
router = APIRouter()
LARGEST_MESSAGE = 4096
MOST_AT_WORK = 32
_from_page: TypeAdapter[FromPage] = TypeAdapter(FromPage)


@router.websocket("/api/live")
async def live(socket: WebSocket, studio: StudioDep) -> None:
    """Speak with one page until it is gone. Messages are taken up in their order, but none waits for another to be
    finished: a mute is not held up by what computes or waits for the disk."""
    await socket.accept()
    page = studio.open_page()
    sending = asyncio.create_task(_send(socket, page))
    at_work: set[asyncio.Task[None]] = set()
    try:
        while True:
            message = await socket.receive()
            if message["type"] == "websocket.disconnect":
                return
            task = asyncio.create_task(_answer(studio, page, message.get("text")))
            at_work.add(task)
            task.add_done_callback(at_work.discard)
            if len(at_work) >= MOST_AT_WORK:
                await asyncio.wait(at_work, return_when=asyncio.FIRST_COMPLETED)
    finally:
        sending.cancel()
        studio.close_page(page)


async def _answer(studio: Studio, page: LivePage, text: str | None) -> None:
    refusal = await _obey(studio, page, text)
    if refusal:
        page.tell(refusal.model_dump_json())
        page.tell(studio.state().model_dump_json())


async def _send(socket: WebSocket, page: LivePage) -> None:
    with contextlib.suppress(WebSocketDisconnect, RuntimeError):
        while True:
            await socket.send_text(await page.next())


async def _obey(studio: Studio, page: LivePage, text: str | None) -> Refusal | None:
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
        await _do(studio, page, asked)
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


async def _do(studio: Studio, page: LivePage, asked: FromPage) -> None:
    match asked:
        case TrySetting():
            # While a drag passes over refused values nothing is said; its end says it.
            with contextlib.suppress(BadSetting):
                await studio.try_together(page, {asked.path: asked.value})
        case TryTogether():
            with contextlib.suppress(BadSetting):
                await studio.try_together(page, asked.changes)
        case SetSetting():
            await studio.set_setting(asked.path, asked.value, is_nudge=asked.is_nudge)
        case SetTogether():
            await studio.set_together(asked.changes)
        case AddInput():
            await studio.add_input(asked.role)
        case RemoveInput():
            await studio.remove_input(asked.input_id)
        case MoveInput():
            await studio.move_input(asked.input_id, asked.by)
        case AddStage():
            await studio.add_stage(asked.input_id, asked.stage, asked.after)
        case CopyStage():
            await studio.copy_stage(asked.stage_id)
        case RemoveStage():
            await studio.remove_stage(asked.stage_id)
        case MoveStage():
            await studio.move_stage(asked.stage_id, asked.by)
        case Dismiss():
            await studio.dismiss(asked.key)
        case ShowAll():
            await studio.show_all()
        case Cough():
            studio.cough(page, asked.is_on)
        case WatchDevices():
            studio.watch_devices(page, asked.is_on)
        case MeasureDelay():
            studio.measure_delay()
        case FindBuffer():
            studio.find_buffer(asked.is_on)
        case MeasureGain():
            studio.measure_gain(asked.is_on)
        case Fault():
            studio.fault(asked.device, asked.fault, asked.value)
        case WatchStage():
            studio.watch_stage(page, asked.stage_id)
        case WatchChain():
            studio.watch_chain(page, asked.input_id)
        case LearnRoom():
            studio.learn_room(asked.stage_id)
        case ForgetRoom():
            await studio.forget_room(asked.stage_id)
        case LoopLast():
            await studio.looper.start(asked.seconds)
        case LoopNew():
            studio.looper.record(asked.seconds)
        case LoopStop():
            studio.looper.stop()
        case LoopHear():
            studio.looper.hear(asked.heard)
        case KeepOther():
            studio.keep_other(asked.preset_id)
        case SwapOther():
            await studio.swap_other()
        case WatchBalance():
            studio.watch_balance(page, asked.is_on)
        case BringToTarget():
            await studio.bring_to_target(asked.input_id)
        case SuggestDucker():
            await studio.suggest_ducker(asked.input_id)
        case ChooseTargets():
            await studio.choose_targets(asked.set_id)
        case CountAnew():
            studio.balance.meter.forget_whole()
        case ReplayLast():
            await studio.start_replay(asked.seconds)
        case ReplayStop():
            studio.balance.replay.stop()
        case ReplayHear():
            studio.balance.replay.hear(asked.heard)
        case Undo():
            await studio.step(-1)
        case Redo():
            await studio.step(+1)

"""The sound check: takes, the computation, and taking over what it suggests."""

from typing import Annotated, Literal

from fastapi import APIRouter, Query, Request, Response
from fastapi.responses import FileResponse
from pydantic import BaseModel, ConfigDict

from goshawk.core.measure.take import TakeKind
from goshawk.core.rules.sound_check.advice import Wish
from goshawk.core.settings import PLAIN_TEXT
from goshawk.observer import requests
from goshawk.page_messages.live import State
from goshawk.page_messages.sound_check import SoundCheckState
from goshawk.web.application import Application
from goshawk.web.dependencies import ApplicationDep
from goshawk.web.uploads import received_file

router = APIRouter(prefix="/api/sound-check", tags=["sound check"])
LARGEST_BYTES = 200_000_000


class Accept(BaseModel):
    """Which stages of the suggestion to take over; None is all of it, in place of the chain."""

    model_config = ConfigDict(extra="forbid")
    stages: list[str] | None = None


class TrimBy(BaseModel):
    """By how much the trim is to make up for a change."""

    model_config = ConfigDict(extra="forbid")
    gain_db: float


async def _standing(
    application: Application, wish: requests.Request, status_code: int = 200
) -> Response:
    """What is done, and how the sound check stands then."""
    text = await application.check.do(wish)
    return Response(text, status_code, media_type="application/json")


@router.get("", response_model=SoundCheckState)
async def state(application: ApplicationDep) -> Response:
    """How it stands; the live link says every change."""
    return await _standing(application, requests.CheckState())


@router.post("/takes/{kind}", status_code=202, response_model=SoundCheckState)
async def start_take(kind: TakeKind, application: ApplicationDep) -> Response:
    """Count in, then record a take from the microphone."""
    return await _standing(application, requests.StartTake(kind), 202)


@router.post("/round", status_code=202, response_model=SoundCheckState)
async def start_round(application: ApplicationDep) -> Response:
    """Record the room and the three voices, one after the other."""
    return await _standing(application, requests.StartTake(""), 202)


@router.delete("/recording", status_code=204)
async def cancel_take(application: ApplicationDep) -> None:
    """Break off the take that is being made."""
    await application.observer.ask(requests.CancelTake())


@router.put("/takes/{kind}", response_model=SoundCheckState)
async def give_take(
    kind: TakeKind,
    request: Request,
    application: ApplicationDep,
    name: Annotated[str, Query(min_length=1, max_length=200), PLAIN_TEXT],
) -> Response:
    """Give a WAV, FLAC or OGG file as the request's body."""
    async with received_file(
        request, application.work, name, LARGEST_BYTES, "200 MB. Fifteen seconds will do."
    ) as path:
        return await _standing(application, requests.GiveTake(kind, str(path), name))


@router.delete("/takes/{kind}", status_code=204)
async def remove_take(kind: TakeKind, application: ApplicationDep) -> None:
    """Forget a take."""
    await application.observer.ask(requests.RemoveTake(kind))


@router.post("/run", status_code=202, response_model=SoundCheckState)
async def run(wish: Wish, application: ApplicationDep) -> Response:
    """Compute a chain from the takes. What the rig says of targets goes before what is wished."""
    return await _standing(application, requests.RunCheck(wish.model_dump_json().encode()), 202)


@router.delete("/run", status_code=204)
async def stop_run(application: ApplicationDep) -> None:
    """Give up the computation."""
    await application.observer.ask(requests.StopCheck())


@router.post("/accept")
async def accept(what: Accept, application: ApplicationDep) -> State:
    """Take the suggested chain over, or some of its stages; undo brings the old one back."""
    await application.check.accept(what.stages)
    return application.state.make()


@router.post("/make-up")
async def make_up(what: TrimBy, application: ApplicationDep) -> State:
    """Let the trim make up for a gain or a distance that changed since the kept check."""
    await application.check.make_up(what.gain_db)
    return application.state.make()


@router.get("/sound/{serial}/{kind}/{side}")
async def sound(
    serial: int, kind: TakeKind, side: Literal["before", "after"], application: ApplicationDep
) -> FileResponse:
    """A take as WAV, raw or behind the suggested chain, both equally loud."""
    return FileResponse(application.check.sound(serial, kind, side), media_type="audio/wav")

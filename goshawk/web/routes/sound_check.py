"""The sound check: takes, the computation, and taking over what it suggests."""

from typing import Annotated, Literal

from fastapi import APIRouter, Query, Request
from fastapi.responses import FileResponse
from pydantic import BaseModel, ConfigDict

from goshawk.core.measure.take import TakeKind
from goshawk.core.rules.sound_check.advice import Wish
from goshawk.core.settings import PLAIN_TEXT
from goshawk.web.dependencies import StudioDep
from goshawk.web.messages import SoundCheckState, State
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


@router.get("")
async def state(studio: StudioDep) -> SoundCheckState:
    """How it stands; the live link says every change."""
    return studio.sound_check.state


@router.post("/takes/{kind}", status_code=202)
async def start_take(kind: TakeKind, studio: StudioDep) -> SoundCheckState:
    """Count in, then record a take from the microphone."""
    studio.start_take(kind)
    return studio.sound_check.state


@router.post("/round", status_code=202)
async def start_round(studio: StudioDep) -> SoundCheckState:
    """Record the room and the three voices, one after the other."""
    studio.start_takes()
    return studio.sound_check.state


@router.delete("/recording", status_code=204)
async def cancel_take(studio: StudioDep) -> None:
    """Break off the take that is being made."""
    studio.sound_check.cancel()


@router.put("/takes/{kind}")
async def give_take(
    kind: TakeKind,
    request: Request,
    studio: StudioDep,
    name: Annotated[str, Query(min_length=1, max_length=200), PLAIN_TEXT],
) -> SoundCheckState:
    """Give a WAV, FLAC or OGG file as the request's body."""
    async with received_file(
        request, studio.work, name, LARGEST_BYTES, "200 MB. Fifteen seconds will do."
    ) as path:
        await studio.sound_check.give(kind, path, name)
    return studio.sound_check.state


@router.delete("/takes/{kind}", status_code=204)
async def remove_take(kind: TakeKind, studio: StudioDep) -> None:
    """Forget a take."""
    await studio.sound_check.remove(kind)


@router.post("/run", status_code=202)
async def run(wish: Wish, studio: StudioDep) -> SoundCheckState:
    """Compute a chain from the takes. What the rig says of targets goes before what is wished."""
    studio.sound_check.run(wish)
    return studio.sound_check.state


@router.delete("/run", status_code=204)
async def stop_run(studio: StudioDep) -> None:
    """Give up the computation."""
    studio.sound_check.stop_run()


@router.post("/accept")
async def accept(what: Accept, studio: StudioDep) -> State:
    """Take the suggested chain over, or some of its stages; undo brings the old one back."""
    return await studio.accept_check(what.stages)


@router.post("/make-up")
async def make_up(what: TrimBy, studio: StudioDep) -> State:
    """Let the trim make up for a gain or a distance that changed since the kept check."""
    return await studio.make_up(what.gain_db)


@router.get("/sound/{serial}/{kind}/{side}")
async def sound(
    serial: int, kind: TakeKind, side: Literal["before", "after"], studio: StudioDep
) -> FileResponse:
    """A take as WAV, raw or behind the suggested chain, both equally loud."""
    return FileResponse(studio.sound_check.sound(serial, kind, side), media_type="audio/wav")

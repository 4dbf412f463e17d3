"""Watch for other programs, and evenings: listed, read, reported, deleted."""

import asyncio
import csv
import io
from collections.abc import AsyncIterator, Iterator
from typing import Annotated

from fastapi import APIRouter, Query, Request
from fastapi.responses import FileResponse, HTMLResponse, StreamingResponse
from pydantic import BaseModel, ConfigDict, Field

from goshawk.core.recording.document import LONGEST_NOTE
from goshawk.core.settings import PLAIN_TEXT, PLAIN_TEXT_WITH_LINES
from goshawk.core.watch.lane import DrawnLanes
from goshawk.core.watch.report import (
    ChangeInWords,
    Differences,
    Evening,
    Shares,
    changes_in_words,
    in_words,
    shares_of,
)
from goshawk.core.watch_settings import HeardAs
from goshawk.observer import requests
from goshawk.page_messages.watch import WatchState
from goshawk.store.evenings.evenings import KeptEvening
from goshawk.web.access import credential_of
from goshawk.web.dependencies import ApplicationDep
from goshawk.web.other_programs import SilenceAsked, WatchFacts
from goshawk.web.report_page import page_of, rows_of
from goshawk.web.routes.addresses import Token

router = APIRouter(prefix="/api", tags=["watch"])
MOST_POINTS = 4000


class EveningChange(BaseModel):
    """Another title or note."""

    model_config = ConfigDict(extra="forbid")
    title: Annotated[str, Field(min_length=1, max_length=150), PLAIN_TEXT] | None = None
    note: Annotated[str, Field(max_length=LONGEST_NOTE), PLAIN_TEXT_WITH_LINES] | None = None


class EveningReport(BaseModel):
    """An evening; of what was said, how much each listener could hear; what was set otherwise than on the evening before."""

    evening: Evening
    shares: Shares
    differences: Differences
    differences_in_words: list[str]
    changes_in_words: list[ChangeInWords]


@router.get("/watch")
async def read_watch(
    request: Request, application: ApplicationDep, token: Token = None
) -> WatchFacts:
    """How it stands now. Programs need a token (Wiring, Addresses)."""
    application.access.check(credential_of(request.headers, token))
    return application.other_programs.facts


@router.get("/watch/events", response_class=StreamingResponse)
async def stream_watch(
    request: Request, application: ApplicationDep, token: Token = None
) -> StreamingResponse:
    """Server-sent events named ``watch``, each with what ``GET /api/watch`` says, whenever it is another. Programs need a
    token."""
    credential = credential_of(request.headers, token)
    application.access.require(credential)
    application.other_programs.check_room()

    async def events() -> AsyncIterator[str]:
        with application.access.hearing(credential) as end:
            async for text in application.other_programs.events(end):
                yield text

    return StreamingResponse(
        events(), media_type="text/event-stream", headers={"Cache-Control": "no-store"}
    )


@router.post("/silence")
async def be_silent(
    request: Request, application: ApplicationDep, asked: SilenceAsked, token: Token = None
) -> WatchFacts:
    """Mute, break or cough, or the end of it. Programs need a token."""
    application.access.check(credential_of(request.headers, token))
    await application.other_programs.silence(asked)
    return application.other_programs.facts


@router.post("/watch/begin")
async def begin_watch(application: ApplicationDep) -> WatchState:
    """Go on air: begin an evening, and its recording if the rig says so."""
    await application.on_air.begin()
    return application.broadcasts.state


@router.post("/watch/end")
async def end_watch(application: ApplicationDep) -> WatchState:
    """End the evening; its report is made."""
    await application.on_air.end()
    return application.broadcasts.state


@router.get("/watch/listen")
async def listen_to_moment(
    application: ApplicationDep,
    way: HeardAs = "was",
    from_s: Annotated[float, Query(ge=0.0, le=1e6)] = 0.0,
    seconds: Annotated[float, Query(gt=0.0, le=30.0)] = 10.0,
) -> FileResponse:
    """A piece of the last minutes on air as WAV, for what is not recorded: ``from_s`` is a second of the evening."""
    path = await application.record.heard_again.piece(
        lambda target: requests.HearMoment(way, from_s, seconds, target)
    )
    return FileResponse(path, media_type="audio/wav", headers={"Cache-Control": "no-store"})


@router.get("/evenings")
async def list_evenings(application: ApplicationDep) -> list[KeptEvening]:
    """All evenings, the newest first."""
    return await application.broadcasts.listed()


@router.get("/evenings/{evening_id}")
async def read_evening(application: ApplicationDep, evening_id: str) -> EveningReport:
    """The report of an evening; of the one under way, so far."""
    evening, history = await application.broadcasts.load(evening_id)
    found = await application.broadcasts.differences(evening)
    return EveningReport(
        evening=evening,
        shares=shares_of(history),
        differences=found,
        differences_in_words=in_words(evening.rig, found.settings),
        changes_in_words=changes_in_words(evening),
    )


@router.patch("/evenings/{evening_id}")
async def change_evening(
    application: ApplicationDep, evening_id: str, change: EveningChange
) -> Evening:
    """Another title or note."""
    return await application.broadcasts.change(evening_id, change.title, change.note)


@router.delete("/evenings/{evening_id}", status_code=204)
async def remove_evening(application: ApplicationDep, evening_id: str) -> None:
    """Delete an evening; for a day it can be brought back. Its recording stays."""
    await application.broadcasts.remove(evening_id)


@router.post("/evenings/{evening_id}/restore", status_code=204)
async def restore_evening(application: ApplicationDep, evening_id: str) -> None:
    """Bring back what was deleted."""
    await application.broadcasts.restore(evening_id)


@router.get("/evenings/{evening_id}/lanes")
async def read_lanes(
    application: ApplicationDep,
    evening_id: str,
    points: Annotated[int, Query(ge=1, le=MOST_POINTS)] = 600,
    from_s: Annotated[float, Query(ge=0.0, le=1e6)] = 0.0,
    to_s: Annotated[float | None, Query(ge=0.0, le=1e6)] = None,
) -> DrawnLanes:
    """An evening's lanes, or those of a part of it, at a chosen resolution."""
    return await application.broadcasts.lanes(evening_id, from_s, to_s, points)


@router.get("/evenings/{evening_id}/report.html", response_class=HTMLResponse)
async def report_page(application: ApplicationDep, evening_id: str) -> HTMLResponse:
    """The report as one page that needs nothing else, to keep or to print."""
    evening, history = await application.broadcasts.load(evening_id)
    return HTMLResponse(await asyncio.to_thread(page_of, evening, history))


@router.get("/evenings/{evening_id}/seconds.csv", response_class=StreamingResponse)
async def report_seconds(application: ApplicationDep, evening_id: str) -> StreamingResponse:
    """Every second of an evening, as comma-separated values."""
    evening, history = await application.broadcasts.load(evening_id)

    def lines() -> Iterator[str]:
        for row in rows_of(evening, history):
            text = io.StringIO()
            csv.writer(text).writerow(row)
            yield text.getvalue()

    name = f"evening-{evening.id}.csv"
    return StreamingResponse(
        lines(),
        media_type="text/csv",
        headers={"Content-Disposition": f'attachment; filename="{name}"'},
    )

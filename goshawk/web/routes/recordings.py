"""Recordings: made, listed, changed, heard, handed over."""

from collections.abc import Awaitable
from pathlib import Path
from typing import Annotated, Any, Literal, TypeVar

from fastapi import APIRouter, Query
from fastapi.responses import FileResponse, StreamingResponse
from pydantic import BaseModel, ConfigDict, Field

from goshawk.core.measure.take import TakeKind
from goshawk.core.record_settings import TrackFormat
from goshawk.core.recording.document import (
    LONGEST_MARK_NAME,
    LONGEST_NOTE,
    Figures,
    Gap,
    Mark,
    Recording,
    Track,
)
from goshawk.core.recording.overview import reduced
from goshawk.core.settings import PLAIN_TEXT, PLAIN_TEXT_WITH_LINES
from goshawk.errors import BadInput, NotFound
from goshawk.page_messages.recording import RecordingState
from goshawk.store.recordings.folder import read_peaks
from goshawk.store.recordings.shelf import KeptRecording, Shelf
from goshawk.web.dependencies import ApplicationDep
from goshawk.web.hand_over import HandOver

router = APIRouter(prefix="/api/recordings", tags=["recordings"])
T = TypeVar("T")
MOST_POINTS = 4000


LONGEST_S = 1e6
"""No recording is that long; beyond, a number of frames is none."""


class NewMark(BaseModel):
    """A mark at this moment, or at a second of the recording."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    name: Annotated[str, Field(max_length=LONGEST_MARK_NAME), PLAIN_TEXT] = ""
    at_s: float | None = Field(None, ge=0.0, le=LONGEST_S)


class MarkChange(BaseModel):
    """Another name for a mark; none takes it away."""

    model_config = ConfigDict(extra="forbid")
    name: Annotated[str, Field(max_length=LONGEST_MARK_NAME), PLAIN_TEXT] | None = None


class RecordingChange(BaseModel):
    """Another title or note."""

    model_config = ConfigDict(extra="forbid")
    title: Annotated[str, Field(min_length=1, max_length=150), PLAIN_TEXT] | None = None
    note: Annotated[str, Field(max_length=LONGEST_NOTE), PLAIN_TEXT_WITH_LINES] | None = None


class RecordingDetail(BaseModel):
    """One recording as a page shows it."""

    id: str
    title: str
    folder: str
    note: str
    started_utc: str
    seconds: float
    state: str
    said: str
    continues: str
    file_format: TrackFormat
    tracks: list[Track]
    marks: list[Mark]
    gaps: list[Gap]
    changes: int
    figures: Figures | None


class Overview(BaseModel):
    """Peaks of every track, linear: one row a stretch of equal length."""

    from_s: float
    to_s: float
    sources: list[str]
    peaks: list[list[float]]


class PieceUse(BaseModel):
    """What a piece of a recording is to be used for."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    use: Literal["take", "loop", "replay"]
    kind: TakeKind | None = None
    from_s: float = Field(ge=0.0, le=LONGEST_S)
    to_s: float = Field(ge=0.0, le=LONGEST_S)


class HandOverWish(BaseModel):
    """A recording, or a piece of it, for others: its tracks, or mixed anew through the rig as it is now."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    what: Literal["tracks", "mix"] = "tracks"
    file_format: TrackFormat = "flac"
    from_s: float = Field(0.0, ge=0.0, le=LONGEST_S)
    to_s: float | None = Field(None, ge=0.0, le=LONGEST_S)


async def _beside(work: Awaitable[T]) -> T:
    """Work that reads or writes where a recording lies. Raises BadInput where the disk refuses, DriveSilent where it does not answer."""
    try:
        return await work
    except OSError as error:
        raise BadInput(
            f"The disk did not do that ({error.strerror or error}). Look at the folder, and try again."
        ) from None


async def _detail(application: Any, recording_id: str) -> RecordingDetail:
    path, document = await _beside(application.record.kept.load(recording_id))
    return _as_detail(str(path), path.name, document)


def _as_detail(folder: str, title: str, one: Recording) -> RecordingDetail:
    return RecordingDetail(
        id=one.id,
        title=title,
        folder=folder,
        note=one.note,
        started_utc=one.started_utc.isoformat(),
        seconds=one.seconds,
        state=one.state,
        said=one.said,
        continues=one.continues,
        file_format=one.file_format,
        tracks=list(one.tracks),
        marks=list(one.marks),
        gaps=list(one.gaps),
        changes=len(one.changes),
        figures=one.figures,
    )


@router.post("", status_code=201)
async def start_recording(application: ApplicationDep) -> RecordingState:
    """Record the chosen tracks from now on."""
    return await application.record.start()


@router.get("/current")
async def current(application: ApplicationDep) -> RecordingState:
    """How recording goes."""
    return application.record.state


@router.post("/current/stop")
async def stop_recording(application: ApplicationDep) -> RecordingState:
    """Record no more; all up to this moment is written."""
    return await application.record.stop()


@router.post("/current/marks", status_code=201)
async def put_mark(application: ApplicationDep, mark: NewMark | None = None) -> Mark:
    """Put a mark at this moment."""
    return await application.record.mark(mark.name if mark else "")


@router.patch("/current/marks/{number}", status_code=204)
async def change_running_mark(number: int, change: MarkChange, application: ApplicationDep) -> None:
    """Name a mark of what is being recorded, or take it away."""
    application.record.name_mark(number, change.name)


@router.get("")
async def list_recordings(application: ApplicationDep) -> list[KeptRecording]:
    """All that are kept, the newest first."""
    return await _beside(application.record.kept.listed())


@router.get("/{recording_id}")
async def read_recording(recording_id: str, application: ApplicationDep) -> RecordingDetail:
    """One recording: its tracks, marks, gaps and figures."""
    return await _detail(application, recording_id)


@router.patch("/{recording_id}")
async def change_recording(
    recording_id: str, change: RecordingChange, application: ApplicationDep
) -> RecordingDetail:
    """Another title or note."""
    application.record.refuse_running(recording_id)
    update = change.model_dump(exclude_none=True)
    await _beside(
        application.record.kept.at(recording_id, lambda shelf: shelf.change(recording_id, **update))
    )
    application.record.kept.list_changed()
    return await _detail(application, recording_id)


@router.delete("/{recording_id}", status_code=204)
async def delete_recording(recording_id: str, application: ApplicationDep) -> None:
    """Put a recording aside; for a day it can be brought back."""
    application.record.refuse_running(recording_id)
    await _beside(
        application.record.kept.at(recording_id, lambda shelf: shelf.delete(recording_id))
    )
    application.record.kept.list_changed()


@router.post("/{recording_id}/restore", status_code=204)
async def restore_recording(recording_id: str, application: ApplicationDep) -> None:
    """Bring back what was deleted."""
    await _beside(application.record.kept.restore(recording_id))
    application.record.kept.list_changed()


@router.post("/{recording_id}/marks", status_code=201)
async def add_mark(
    recording_id: str, mark: NewMark, application: ApplicationDep
) -> RecordingDetail:
    """Put a mark into what is recorded."""
    application.record.refuse_running(recording_id)
    frame = round((mark.at_s or 0.0) * 48_000)
    await _beside(
        application.record.kept.at(
            recording_id, lambda shelf: shelf.add_mark(recording_id, frame, mark.name)
        )
    )
    application.record.kept.list_changed()
    return await _detail(application, recording_id)


@router.patch("/{recording_id}/marks/{number}")
async def change_mark(
    recording_id: str, number: int, change: MarkChange, application: ApplicationDep
) -> RecordingDetail:
    """Name a mark, or take it away."""
    application.record.refuse_running(recording_id)
    await _beside(
        application.record.kept.at(
            recording_id, lambda shelf: shelf.name_mark(recording_id, number, change.name)
        )
    )
    application.record.kept.list_changed()
    return await _detail(application, recording_id)


@router.get("/{recording_id}/tracks/{source}")
async def track_file(recording_id: str, source: str, application: ApplicationDep) -> FileResponse:
    """A track's file; parts of it by ranges."""

    def find(shelf: Shelf) -> tuple[Path, Recording]:
        path, document = shelf.load(recording_id)
        track = document.track(source)
        if track is None or not (path / track.file).is_file():
            raise NotFound("That track is not there. Choose another.")
        return path / track.file, document

    path, document = await _beside(application.record.kept.at(recording_id, find))
    kind = {"flac": "audio/flac", "wav": "audio/wav", "opus": "audio/ogg"}[document.file_format]
    return FileResponse(path, media_type=kind, filename=path.name)


@router.get("/{recording_id}/peaks")
async def peaks(
    recording_id: str,
    application: ApplicationDep,
    from_s: Annotated[float, Query(ge=0.0, le=LONGEST_S)] = 0.0,
    to_s: Annotated[float | None, Query(ge=0.0, le=LONGEST_S)] = None,
    points: Annotated[int, Query(ge=1, le=MOST_POINTS)] = 800,
) -> Overview:
    """An overview of all tracks at a chosen resolution; also of what is still being recorded."""

    def work(shelf: Shelf) -> Overview:
        path, document = shelf.load(recording_id)
        running = application.record.state
        seconds = running.seconds if running.id == recording_id else document.seconds
        end_s = seconds if to_s is None else min(to_s, seconds)
        first, end = round(from_s * 48_000), max(round(from_s * 48_000), round(end_s * 48_000))
        rows = reduced(read_peaks(path, document, first, end, points), points)
        return Overview(
            from_s=from_s,
            to_s=end_s,
            sources=[one.source for one in document.tracks],
            peaks=[[round(float(value), 4) for value in row] for row in rows],
        )

    return await _beside(application.record.kept.at(recording_id, work))


@router.get("/{recording_id}/listen")
async def listen(
    recording_id: str,
    application: ApplicationDep,
    way: Literal["came", "was", "now"] = "was",
    source: Annotated[str, Query(max_length=60)] = "",
    from_s: Annotated[float, Query(ge=0.0, le=LONGEST_S)] = 0.0,
    seconds: Annotated[float, Query(gt=0.0, le=30.0)] = 10.0,
) -> FileResponse:
    """A piece as WAV: as it came, as viewers got it, or through the chain as it is now, equally loud; or one track alone."""
    path = await application.record.heard_piece(recording_id, way, source, from_s, seconds)
    return FileResponse(path, media_type="audio/wav", headers={"Cache-Control": "no-store"})


@router.post("/{recording_id}/use", status_code=204)
async def use_piece(recording_id: str, piece: PieceUse, application: ApplicationDep) -> None:
    """A piece as a take of the sound check, as the loop in Chain, or as the replay in Balance."""
    await application.record.use(recording_id, piece.use, piece.kind, piece.from_s, piece.to_s)


@router.post("/{recording_id}/hand-over", status_code=202)
async def hand_over(recording_id: str, wish: HandOverWish, application: ApplicationDep) -> HandOver:
    """Have the files made; ``GET`` says how far it is."""
    path, document = await _beside(application.record.kept.load(recording_id))
    return await application.record.hand_over.begin(
        path, document, wish.what, wish.file_format, wish.from_s, wish.to_s
    )


@router.get("/{recording_id}/hand-over")
async def hand_over_state(recording_id: str, application: ApplicationDep) -> HandOver:
    """How far the files are."""
    return application.record.hand_over.state


@router.delete("/{recording_id}/hand-over", status_code=204)
async def break_off_hand_over(recording_id: str, application: ApplicationDep) -> None:
    """Break it off, or throw away what was made."""
    await application.record.hand_over.clear()


@router.get("/{recording_id}/hand-over/zip")
async def hand_over_zip(recording_id: str, application: ApplicationDep) -> StreamingResponse:
    """All the files that were made, in one."""
    name, size, chunks = application.record.hand_over.zipped()
    return StreamingResponse(
        chunks,
        media_type="application/zip",
        headers={
            "Content-Length": str(size),
            "Content-Disposition": f"attachment; filename*=UTF-8''{name}",
        },
    )

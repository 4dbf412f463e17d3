"""What pages are told of recordings, and what they ask for."""

from typing import Literal

from pydantic import Field

from goshawk.core.recording.document import LONGEST_MARK_NAME, Mark, Track
from goshawk.page_messages.base import FromPageModel, FromServerModel


class TrackStatus(FromServerModel):
    """A track that is being recorded."""

    source: str
    name: str
    role: str
    peak_dbfs: float
    """In the last quarter of a second."""
    highest_dbfs: float
    clipped: int


class RecordingState(FromServerModel):
    """How recording goes, some times a second; ``stage`` is "off" when nothing is recorded."""

    type: Literal["recording"] = "recording"
    stage: Literal["off", "starting", "running", "ending"] = "off"
    id: str = ""
    title: str = ""
    folder: str = ""
    first_frame: int = 0
    """Where on the timeline this part begins."""
    seconds: float = 0.0
    size_bytes: int = 0
    left_s: float | None = None
    """So long the disk still takes it; None: not known yet."""
    tracks: list[TrackStatus] = Field(default_factory=list)
    marks: list[Mark] = Field(default_factory=list)
    lost_s: float = 0.0
    is_late: bool = False


class RecordFacts(FromServerModel):
    """What stands around recordings, as part of the state."""

    folder: str
    """Where the next one lies."""
    default_folder: str
    preview: str
    """What the next one would be called."""
    preview_trouble: str
    """Why the pattern gives no name; "" if it does."""
    free_s: float | None
    """So long the disk would take the chosen tracks."""
    offered: list[Track]
    chosen: list[str]
    """The sources that would be recorded."""
    changes: int
    """Another number says that the list of recordings is another."""
    silent: list[str]
    """Folders with recordings that do not answer: what lies there is not in the list."""


class LookAtRecord(FromPageModel):
    """A page shows Record: a recorder waits, ready, meanwhile."""

    type: Literal["look_at_record"]
    is_on: bool


class StartRecording(FromPageModel):
    """Record."""

    type: Literal["start_recording"]


class StopRecording(FromPageModel):
    """Record no more."""

    type: Literal["stop_recording"]


class PutMark(FromPageModel):
    """A mark at this moment."""

    type: Literal["put_mark"]
    name: str = Field("", max_length=LONGEST_MARK_NAME)


class NameMark(FromPageModel):
    """Another name for a mark of what is being recorded; None takes it away."""

    type: Literal["name_mark"]
    number: int
    name: str | None = Field(None, max_length=LONGEST_MARK_NAME)

"""Messages of Watch: before going on air, on air, and after."""

from datetime import datetime
from typing import Literal

from pydantic import Field

from goshawk.core.recording.document import Mark
from goshawk.core.rules.health.event import Event
from goshawk.core.watch.before import Item
from goshawk.core.watch.report import Anchor, RecordedPart
from goshawk.page_messages.base import FromPageModel, FromServerModel

WatchStage = Literal["off", "on_air", "ending"]


class GoOnAir(FromPageModel):
    """Begin an evening; with the recording, if that is wanted."""

    type: Literal["go_on_air"]


class GoOffAir(FromPageModel):
    """End it, and its recording."""

    type: Literal["go_off_air"]


class LookAtWatch(FromPageModel):
    """Whether this page shows Watch. Ends by itself with the page."""

    type: Literal["look_at_watch"]
    is_on: bool


class KnowEvent(FromPageModel):
    """The user knows of an event: it is shown large no more."""

    type: Literal["know_event"]
    number: int = Field(ge=0)


class WatchState(FromServerModel):
    """How the evening stands. ``told`` is the event that is shown large; None if all is well. ``before`` is looked at only while
    a page shows it and nobody is on air."""

    type: Literal["watch"] = "watch"
    stage: WatchStage = "off"
    evening: str = ""
    started_utc: datetime | None = None
    seconds: float = 0.0
    anchors: list[Anchor] = Field(default_factory=list)
    """The newest: what the computer's clock said at a second of the broadcast."""
    marks: list[Mark] = Field(default_factory=list)
    """The user's, in frames of the broadcast."""
    recordings: list[RecordedPart] = Field(default_factory=list)
    events: list[Event] = Field(default_factory=list)
    told: Event | None = None
    before: list[Item] = Field(default_factory=list)
    save_trouble: str = ""
    changes: int = 0
    """Another number whenever the list of evenings is another."""

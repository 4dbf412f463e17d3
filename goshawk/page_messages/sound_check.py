"""Messages of the sound check."""

from typing import Literal

from goshawk.core.measure.take import TakeFigures, TakeKind
from goshawk.core.rules.sound_check.advice import Wish
from goshawk.core.rules.sound_check.since import ChangeSinceCheck
from goshawk.core.sound_check import Outcome
from goshawk.page_messages.base import FromServerModel


class TakeProgress(FromServerModel):
    """A take of the sound check that is being made. ``beginnings``: so often it began again, since a piece of the sound was lost."""

    kind: TakeKind
    begins_in_s: float
    elapsed_s: float
    wanted_s: float
    beginnings: int


class TakeState(FromServerModel):
    """A take that is kept. ``doubt`` is what is wrong with it, if anything; ``serial`` differs with every take."""

    taken_at: float
    doubt: str
    figures: TakeFigures
    serial: str


class CheckProgress(FromServerModel):
    """How far the computation is, from 0 to 1."""

    text: str
    share: float


class SoundCheckState(FromServerModel):
    """The sound check: takes, what is wrong with those that were refused, what was computed from them (its chain is
    left out), and what has changed since the check that is in use. ``heard`` names the sounds to listen to."""

    type: Literal["sound_check"] = "sound_check"
    takes: dict[TakeKind, TakeState]
    refusals: dict[TakeKind, str]
    recording: TakeKind | None
    measuring: TakeKind | None
    run: CheckProgress | None
    failure: str
    wish: Wish
    outcome: Outcome | None
    is_accepted: bool
    heard: int
    kept_at: float | None
    changes: list[ChangeSinceCheck]

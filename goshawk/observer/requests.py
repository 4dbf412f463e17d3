"""What goes between the web process and the observer: typed messages, each behind its length.

What is wanted goes as one document (``wanted.py``); what is left are requests that have an answer, each with a limit. The observer
says what pages are to see, what the audio process should play, and what should be saved. Models of the core travel as their JSON.
"""

import asyncio
from typing import Any

import msgspec

from goshawk.errors import BadSetting, GoshawkError, ObserverLost
from goshawk.links import next_body
from goshawk.observer.wanted import Begin, Learning, ObserverWanted


class PassedOn(msgspec.Struct, tag=True):
    """A page's message (JSON) that the observer itself obeys; see ``passed_on.py``."""

    message: bytes


class StartTake(msgspec.Struct, tag=True):
    """Record a take of the sound check, or ("") all that are needed."""

    kind: str


class CancelTake(msgspec.Struct, tag=True):
    """Break off the take that is being made."""


class GiveTake(msgspec.Struct, tag=True):
    """A file as a take."""

    kind: str
    path: str
    name: str


class RemoveTake(msgspec.Struct, tag=True):
    """Forget a take."""

    kind: str


class RunCheck(msgspec.Struct, tag=True):
    """Compute the check for a wish (JSON)."""

    wish: bytes


class StopCheck(msgspec.Struct, tag=True):
    """Give up what is being computed."""


class CheckOutcome(msgspec.Struct, tag=True):
    """The chain that was computed and the figures of all takes, both as JSON; an empty chain if there is none."""


class CheckState(msgspec.Struct, tag=True):
    """How the sound check stands, as JSON."""


class ToTarget(msgspec.Struct, tag=True):
    """Which trims (by their paths) bring one input, or all (""), to the target, and the sentence that says so."""

    input_id: str


class ComputeDucker(msgspec.Struct, tag=True):
    """The settings (JSON) of an input's ducker, from what was measured."""

    input_id: str


class Badness(msgspec.Struct, tag=True):
    """How bad a finding is now; None if it is gone."""

    key: str


class HearRecording(msgspec.Struct, tag=True):
    """A piece of a recording as a WAV file: a track, or one of the three ways, equally loud."""

    folder: str
    way: str
    source: str
    first: int
    frames: int
    target: str


class HearMoment(msgspec.Struct, tag=True):
    """A piece of the last minutes on air as a WAV file, ``from_s`` in seconds of the evening."""

    way: str
    from_s: float
    seconds: float
    target: str


class LoopRecording(msgspec.Struct, tag=True):
    """Loop a piece of a recording's voice in the microphone's place."""

    folder: str
    first: int
    end: int


class ReplayRecording(msgspec.Struct, tag=True):
    """Replay a piece of a recording's inputs."""

    folder: str
    first: int
    end: int


class MeasureRecording(msgspec.Struct, tag=True):
    """The figures (JSON) of a whole recording."""

    folder: str


class Opening(msgspec.Struct, tag=True):
    """What a page that opens has to know, as texts to be passed on to it."""


class CatchUp(msgspec.Struct, tag=True):
    """Answered when everything up to a frame has been taken in and its figures are made (for tests)."""

    frame: int


Request = (
    PassedOn | StartTake | CancelTake | GiveTake | RemoveTake | RunCheck | StopCheck | CheckOutcome | CheckState
    | ToTarget | ComputeDucker | Badness | Opening | CatchUp
    | HearRecording | LoopRecording | ReplayRecording | MeasureRecording | HearMoment
)  # fmt: skip

USUAL_LIMIT_S = 20.0
LIMITS_S: dict[type, float] = {
    GiveTake: 120.0,
    HearRecording: 90.0,
    LoopRecording: 90.0,
    ReplayRecording: 90.0,
    PassedOn: 60.0,
    MeasureRecording: 1800.0,
    CatchUp: 600.0,
}
"""So long a request may take, where that is longer than usual: whole files are read, or minutes of sound computed."""


def limit_s(request: Request) -> float:
    """Return how long an answer may take."""
    return LIMITS_S.get(type(request), USUAL_LIMIT_S)


class SaveTake(msgspec.Struct, tag=True):
    """Keep a take (JSON)."""

    take: bytes


class ForgetTake(msgspec.Struct, tag=True):
    """Forget a take."""

    kind: str


ToSave = SaveTake | ForgetTake


class Ask(msgspec.Struct, tag=True):
    """Something to be done; answered under its number."""

    number: int
    what: Request


class Cancel(msgspec.Struct, tag=True):
    """Nobody waits for an answer any more."""

    number: int


class AskToSave(msgspec.Struct, tag=True):
    """The same, the other way."""

    number: int
    what: ToSave


class Failure(msgspec.Struct):
    """Why something was not done: one of our own errors."""

    code: str
    text: str
    field: str = ""


class Answer(msgspec.Struct, tag=True):
    """What came of it."""

    number: int
    value: Any = None
    failure: Failure | None = None


class ToPages(msgspec.Struct, tag=True):
    """A message for every page. With a kind, the next of that kind takes its place where it still waits."""

    text: str
    kind: str = ""


class Notify(msgspec.Struct, tag=True):
    """A sentence for every window: news or trouble."""

    text: str
    level: str


class PlayLoop(msgspec.Struct, tag=True):
    """Play a file as the microphone, to you alone; None: no more."""

    path: str | None


class Compare(msgspec.Struct, tag=True):
    """How the loop is heard; ``other`` is chain B as JSON."""

    heard: str
    gain_db: float
    other: bytes | None


class PlayReplay(msgspec.Struct, tag=True):
    """Play a file of recorded inputs in place of all devices; None: no more. ``before`` is the rig (JSON) under which
    it is heard, if not that of now."""

    path: str | None
    names: list[str]
    gain_db: float
    before: bytes | None


class Hold(msgspec.Struct, tag=True):
    """What holds add to the trims."""

    held_db: dict[str, float]


class UnderWay(msgspec.Struct, tag=True):
    """What the web process has to know of what is under way here: the loop (JSON), and what the stand-in performs for it."""

    loop: bytes
    performance: str | None


class RoomLearned(msgspec.Struct, tag=True):
    """What came of learning a room: the room (JSON), or why there is none."""

    learning: Learning
    room: bytes
    refusal: str = ""


class ObserverAlive(msgspec.Struct, tag=True):
    """It goes on taking in the sound and making figures; ``wanted`` is the document that it follows."""

    wanted: int


class Watched(msgspec.Struct, tag=True):
    """What is new of a broadcast: a second (JSON), events (JSON), the figures so far to be put down; where it stands, and
    which event is to be said aloud now (its rule)."""

    broadcast: str
    at_s: float
    second: bytes = b""
    events: list[bytes] = []
    meter: bytes = b""
    figures: bytes = b""
    aloud: str = ""


class Before(msgspec.Struct, tag=True):
    """The list of what must be true before going on air (JSON)."""

    items: bytes


ToObserver = Begin | ObserverWanted | Ask | Cancel | Answer
FromObserver = (
    ToPages
    | Notify
    | PlayLoop
    | Compare
    | PlayReplay
    | Hold
    | UnderWay
    | RoomLearned
    | ObserverAlive
    | Watched
    | Before
    | AskToSave
    | Answer
)

_to_observer: msgspec.msgpack.Decoder[ToObserver] = msgspec.msgpack.Decoder(ToObserver)
_from_observer: msgspec.msgpack.Decoder[FromObserver] = msgspec.msgpack.Decoder(FromObserver)


async def next_to_observer(reader: asyncio.StreamReader) -> ToObserver:
    """The next message of the web process. Raises EOFError (IncompleteReadError too) when it is gone."""
    return _to_observer.decode(await next_body(reader))


async def next_from_observer(reader: asyncio.StreamReader) -> FromObserver:
    """The next message of the observer. Raises EOFError when it is gone."""
    return _from_observer.decode(await next_body(reader))


def failure_of(error: GoshawkError) -> Failure:
    """An error for the trip."""
    return Failure(error.code, str(error), error.field if isinstance(error, BadSetting) else "")


def error_of(failure: Failure) -> GoshawkError:
    """The inverse."""
    if failure.code == ObserverLost.code:
        return ObserverLost()
    if failure.code == BadSetting.code:
        return BadSetting(failure.text, failure.field)
    kinds = _kinds(GoshawkError)
    return kinds.get(failure.code, GoshawkError)(failure.text)


def _kinds(root: type[GoshawkError]) -> dict[str, type[GoshawkError]]:
    found = {root.code: root}
    for kind in root.__subclasses__():
        found |= _kinds(kind)
    return found

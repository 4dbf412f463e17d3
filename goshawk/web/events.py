"""What the services of the web process tell each other over the bus. Beside these, the bus carries what the other processes say
(``engine.client``: ``Seen``, ``ForUser``, ``InsertMeasured``, ``Planned``; ``observer``: ``FromObserver``, ``ObserverGone``).

| event | published by | heard by |
|---|---|---|
| RigHeard | RigDesk | SoundFileShelf, SoundDesk, WhatPlays, ObserverDocument, Holds, Pages |
| RigSet | RigDesk | Broadcasts |
| StateChanged | whoever owns a part of the state | Pages |
| Notified | Notices, EngineNews, RecordDesk | Pages |
| PageMessage | ReachLamps, NewestFigures | Pages |
| ComputerChanged | SoundDesk | DeviceControl, ObserverDocument, Pages |
| EngineGone | EngineNews | ReachLamps, NewestFigures |
| RecordingShown | RecordDesk | Broadcasts, Pages |
| MarksChanged | RecordDesk | Broadcasts |
| WatchShown | Broadcasts | Pages, OtherPrograms |
"""

from dataclasses import dataclass

from goshawk.core.computer import Computer
from goshawk.core.rig import Rig, Tried
from goshawk.page_messages.recording import RecordingState
from goshawk.page_messages.watch import WatchState
from goshawk.recorder.wanted import WantedMark


@dataclass(frozen=True)
class RigHeard:
    """``rig`` is to be heard from now on; ``tried`` says what of it is not set, while somebody drags."""

    rig: Rig
    tried: Tried | None = None


@dataclass(frozen=True)
class RigSet:
    """Another rig is set than before, saved or not."""

    before: Rig
    after: Rig


@dataclass(frozen=True)
class StateChanged:
    """Something of what every window shows is another."""


@dataclass(frozen=True)
class Notified:
    """A sentence for every window: ``level`` is "news" or "trouble"; the newest about the same takes the place of those before."""

    text: str
    level: str
    about: str = ""


@dataclass(frozen=True)
class PageMessage:
    """A message for every window (JSON); the next of its kind replaces it where it still waits."""

    text: str
    kind: str


@dataclass(frozen=True)
class ComputerChanged:
    """Something has come, gone or changed among the computer's devices and programs."""

    computer: Computer


@dataclass(frozen=True)
class EngineGone:
    """No audio process plays: what it measured says nothing of now."""


@dataclass(frozen=True)
class RecordingShown:
    """How the recording stands."""

    state: RecordingState


@dataclass(frozen=True)
class MarksChanged:
    """The user's marks of a recording (its number since the start) are others."""

    run: int
    marks: tuple[WantedMark, ...]


@dataclass(frozen=True)
class WatchShown:
    """How the broadcast stands."""

    state: WatchState

"""The broadcast under way: everything that is known of it, by its own time, and what of that is not kept yet. Its second 0 is a frame of
the timeline; what the clock on the wall said then is told by its anchors alone (``Evening.utc_at``)."""

import json
import os
import secrets
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from goshawk.core.recording.document import Figures, Mark, changes_between
from goshawk.core.rig import Rig
from goshawk.core.rules.health.event import Event
from goshawk.core.rules.health.rules import RULES
from goshawk.core.text.figures import span
from goshawk.core.watch import second as columns
from goshawk.core.watch.report import Anchor, Evening, RecordedPart, SettingsChange, advice
from goshawk.core.watch.second import MINUTE_S, BroadcastHistory, Second
from goshawk.errors import NotFound
from goshawk.observer import requests
from goshawk.observer.wanted import OnAir, Resumed
from goshawk.page_messages.recording import RecordingState
from goshawk.recorder.wanted import WantedMark
from goshawk.timeline.memory import TEST_CLOCK
from goshawk.units import SAMPLE_RATE_HZ

MOST_CHANGES = 5000
MOST_ANCHORS = 1000

CLOCK_JUMPS_S = 5.0
"""From one second to the next, between the sound's time and the computer's clock: more than this is no lateness."""

ANCHORS_EVERY_S = 2.0
"""So far sound that was not made in time may be behind the clock before that is written down."""

OWN_EVENTS_FROM = 100_000
"""Events that are found here are counted apart from those of the rules."""

_ORDER = {rule.name: place for place, rule in enumerate(RULES)}


@dataclass(frozen=True)
class Unsaved:
    """What is to be written: the document, minutes of the history by their numbers, events, and the observer's figures as it put them
    down (None: there are none)."""

    document: Evening
    minutes: dict[int, bytes]
    events: list[Event]
    meter: bytes | None


class Broadcast:
    """Owns its recordings, marks, events, anchors, changes of the rig, and every second's figures."""

    def __init__(self, document: Evening, began_frame: int) -> None:
        """``began_frame`` is where on the timeline its second 0 is."""
        self._document, self.began_frame = document, began_frame
        self.history = BroadcastHistory()
        self._events: dict[int, Event] = {}
        self._meter = b""
        self._own_events = OWN_EVENTS_FROM
        self._ahead_s = 0.0
        self._recording = RecordingState()
        self._marks_here: tuple[int, set[int]] = (0, set())
        """The recording under way (its number since the start), and its marks by their numbers."""
        self._is_new = True
        self._new_minutes: set[int] = set()
        self._new_events: set[int] = set()
        self.is_ending = False

    @classmethod
    def begun(cls, rig: Rig, frame: int) -> "Broadcast":
        """Begin one now."""
        now = datetime.now(UTC)
        document = Evening(
            id=secrets.token_hex(6),
            title=f"{now.astimezone():%Y-%m-%d %H.%M} {rig.name}",
            started_utc=now,
            rig=rig,
            anchors=[Anchor(at_s=0.0, utc=now)],
        )
        return cls(document, frame)

    @classmethod
    def resumed(
        cls, document: Evening, history: BroadcastHistory, meter: bytes, frame: int, away_s: float
    ) -> "Broadcast":
        """Go on with one that was cut ``away_s`` ago, at a frame of another timeline."""
        seconds = cut_at(document, history)
        one = cls(
            document.model_copy(update={"events": []}),
            frame - round((seconds + away_s) * SAMPLE_RATE_HZ),
        )
        one.history, one._meter = history, meter
        one._events = {event.number: event.ended(seconds) for event in document.events}
        one._new_events = set(one._events)
        one._own_events = max([OWN_EVENTS_FROM, *one._events])
        one._note(
            "Goshawk was away",
            f"The program was gone for {away_s:.0f} s, and was started again.",
            seconds,
            seconds + away_s,
        )
        return one

    # --- what is known of it ----------------------------------------------------------------------

    @property
    def id(self) -> str:
        """Its name among all."""
        return self._document.id

    @property
    def events(self) -> list[Event]:
        """All of them, in the order in which they began."""
        return sorted(self._events.values(), key=lambda one: one.began_s)

    @property
    def document(self) -> Evening:
        """All of it but the seconds."""
        return self._document.model_copy(update={"events": self.events})

    @property
    def told(self) -> Event | None:
        """The one event that is shown large: the first of those that last."""
        lasting = [
            one
            for one in self._events.values()
            if one.lasts and one.told_s is not None and not one.is_known
        ]
        return min(lasting, key=lambda one: (_ORDER[one.rule], one.number), default=None)

    @property
    def last_mark(self) -> int:
        """The highest number of a mark; 0 if there is none."""
        return max((one.id for one in self._document.marks), default=0)

    def second_of(self, frame: int) -> float:
        """Which of its seconds a frame of the timeline is."""
        return max(0.0, (frame - self.began_frame) / SAMPLE_RATE_HZ)

    @property
    def on_air(self) -> OnAir | None:
        """What the observer is to watch over; None while it ends."""
        if self.is_ending:
            return None
        known = (one.number for one in self._events.values() if one.is_known)
        dismissed = sorted(number for number in known if number < OWN_EVENTS_FROM)
        return OnAir(self.id, self.began_frame, tuple(dismissed))

    @property
    def resumes_from(self) -> Resumed:
        """How far it is, for an observer that is started."""
        own = [number for number in self._events if number < OWN_EVENTS_FROM]
        return Resumed(self.id, max(own, default=0), self._meter)

    # --- what happens -----------------------------------------------------------------------------

    def hear(self, said: requests.Watched) -> None:
        """Take what the observer found; what belongs to another broadcast, or comes after the end, is dropped."""
        if said.broadcast != self.id or self.is_ending:
            return
        self._look_at_clock(said.at_s)
        if said.second:
            self._put(Second.model_validate_json(said.second))
        for packed in said.events:
            one = Event.model_validate_json(packed)
            known = self._events.get(one.number)
            if known is not None and known.is_known and one.lasts:
                one = one.model_copy(update={"is_known": True})
            self._events[one.number] = one
            self._new_events.add(one.number)
        if said.meter:
            self._meter = said.meter
        if said.figures:
            found = json.loads(said.figures)
            self._update(figures=Figures.model_validate(found.pop("figures")), **found)

    def _put(self, second: Second) -> None:
        is_recorded = float(self._recording.stage == "running")
        values = {**second.values, columns.RECORDING: is_recorded}
        self.history.put(Second(number=second.number, values=values))
        self._new_minutes.add(second.number // MINUTE_S)
        self._update(seconds=float(self.history.seconds))

    def know(self, number: int) -> None:
        """Note that the user knows of an event. Raises NotFound."""
        one = self._events.get(number)
        if one is None:
            raise NotFound("That event is not there any more.")
        self._events[number] = one.model_copy(update={"is_known": True})
        self._new_events.add(number)

    def lose_observer(self, frame: int) -> None:
        """End what lasts: more is not known of it."""
        seconds = round(self.second_of(frame), 2)
        for number, one in self._events.items():
            if one.lasts:
                self._events[number] = one.ended(seconds)
                self._new_events.add(number)

    def follow_rig(self, before: Rig, after: Rig, frame: int) -> None:
        """Note what was set otherwise."""
        if len(self._document.changes) >= MOST_CHANGES:
            return
        change = changes_between(before, after, 0)
        if change is not None:
            at_s = round(self.second_of(frame), 1)
            noted = SettingsChange(at_s=at_s, settings=change.settings)
            self._update(changes=[*self._document.changes, noted])

    def follow_recording(self, state: RecordingState) -> None:
        """Note where a recording, or another part of it, begins."""
        self._recording = state
        if state.stage != "running":
            return
        part = RecordedPart(
            id=state.id, at_s=(state.first_frame - self.began_frame) / SAMPLE_RATE_HZ
        )
        if part not in self._document.recordings:
            known = [one for one in self._document.recordings if one.id != part.id]
            self._update(recording=part.id, recordings=[*known, part])

    def follow_marks(self, run: int, marks: Iterable[WantedMark]) -> None:
        """Take the user's marks of a recording (its number since the start): they are kept by the broadcast's time, whatever becomes
        of the recording."""
        placed = {
            one.id: Mark(id=one.id, frame=one.frame - self.began_frame, name=one.name)
            for one in marks
            if one.frame >= self.began_frame
        }
        before_run, before = self._marks_here
        gone = before - set(placed) if run == before_run else set()
        self._marks_here = (run, set(placed))
        kept = {one.id: one for one in self._document.marks if one.id not in gone} | placed
        self._update(marks=sorted(kept.values(), key=lambda one: one.frame))

    def end(self, frame: int) -> None:
        """End it, and make its report's advice."""
        seconds = round(self.second_of(frame), 2)
        self.is_ending = True
        self._events = {number: one.ended(seconds) for number, one in self._events.items()}
        self._new_events = set(self._events)
        self._update(seconds=seconds, is_over=True)
        self._update(advice=advice(self.document))

    def _update(self, **changes: Any) -> None:
        self._document = self._document.model_copy(update=changes)
        self._is_new = True

    # --- the clock --------------------------------------------------------------------------------

    def _look_at_clock(self, at_s: float) -> None:
        """The computer's clock against the sound's: another anchor where it was set, or the computer slept."""
        document = self._document
        if not document.anchors or os.environ.get(TEST_CLOCK):
            return
        now = datetime.now(UTC)
        before_s, self._ahead_s = self._ahead_s, (now - document.utc_at(at_s)).total_seconds()
        ahead_s = self._ahead_s - before_s
        if abs(self._ahead_s) < ANCHORS_EVERY_S or len(document.anchors) >= MOST_ANCHORS:
            return
        self._update(anchors=[*document.anchors, Anchor(at_s=at_s, utc=now)])
        self._ahead_s = 0.0
        if abs(ahead_s) < CLOCK_JUMPS_S:
            return
        word = "on" if ahead_s > 0 else "back"
        self._note(
            "The clock jumped",
            f"The computer slept, or its clock was set {word} by {span(abs(ahead_s))}.",
            at_s,
            at_s,
        )

    def _note(self, title: str, text: str, began_s: float, ended_s: float) -> None:
        """Something that is found here: it is over already."""
        self._own_events += 1
        self._events[self._own_events] = Event(
            number=self._own_events,
            rule="dropouts",
            subject="program",
            title=title,
            text=text,
            help="",
            began_s=round(began_s, 2),
            told_s=round(ended_s, 2),
            ended_s=round(ended_s, 2),
        )
        self._new_events.add(self._own_events)

    # --- keeping ----------------------------------------------------------------------------------

    def take_unsaved(self) -> Unsaved | None:
        """What is to be written now; None if all is kept. Give it back if it cannot be."""
        if not (self._is_new or self._new_minutes or self._new_events):
            return None
        unsaved = Unsaved(
            document=self._document,
            minutes={one: self.history.packed_minute(one) for one in self._new_minutes},
            events=[self._events[one] for one in self._new_events if one in self._events],
            meter=self._meter or None,
        )
        self._new_minutes, self._new_events, self._is_new = set(), set(), False
        return unsaved

    def give_back(self, unsaved: Unsaved) -> None:
        """It could not be written: it is all in memory still, and tried again."""
        self._new_minutes |= set(unsaved.minutes)
        self._new_events |= {one.number for one in unsaved.events}
        self._is_new = True


def cut_at(document: Evening, history: BroadcastHistory) -> float:
    """How far a broadcast was, in seconds, as far as was kept."""
    return max(document.seconds, float(history.seconds))


def closed(document: Evening, history: BroadcastHistory) -> Evening:
    """A broadcast that ended with the program, with its report's advice."""
    seconds = cut_at(document, history)
    over = document.model_copy(
        update={
            "is_over": True,
            "was_cut": True,
            "seconds": seconds,
            "events": [one.ended(seconds) for one in document.events],
        }
    )
    return over.model_copy(update={"advice": advice(over)})

"""Evenings on air: begun, watched, kept, ended. What is found comes from the observer; here it is kept in a database of its own, shown
in every window, and told to other programs."""

import asyncio
import json
import logging
import os
import secrets
import time
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from pydantic import TypeAdapter

from goshawk.core.recording.document import Figures, Mark, changes_between
from goshawk.core.rig import Rig
from goshawk.core.rules.health.event import Event
from goshawk.core.rules.health.rules import RULES
from goshawk.core.watch import second as columns
from goshawk.core.watch.before import Item, disk_item
from goshawk.core.watch.lane import DrawnLanes, lanes_of
from goshawk.core.watch.report import (
    Anchor,
    Differences,
    Evening,
    RecordedPart,
    SettingsChange,
    advice,
    differences,
)
from goshawk.core.watch.second import MINUTE_S, History, Second
from goshawk.errors import BadInput, GoshawkError, NotFound, StoreUnusable
from goshawk.observer import requests
from goshawk.observer.wanted import OnAir, Resumed
from goshawk.page_messages.recording import RecordFacts, RecordingState
from goshawk.page_messages.watch import WatchState
from goshawk.recorder.wanted import WantedMark
from goshawk.store.evenings import evenings
from goshawk.store.evenings.evenings import KeptEvening
from goshawk.supervisor import Supervisor
from goshawk.timeline.memory import TEST_CLOCK
from goshawk.units import SAMPLE_RATE_HZ
from goshawk.web.evening_store import EveningStore

log = logging.getLogger(__name__)

FLUSHES_EVERY_S = 3.0
SHOWN_EVENTS = 200
SHOWN_ANCHORS = 20
MOST_CHANGES = 5000
RESUMES_S = 900.0
"""An evening that was cut so recently goes on at the next start; an older one is closed."""

CLOCK_JUMPS_S = 5.0
"""From one second to the next, between the sound's time and the computer's clock: more than this is no lateness."""

ANCHORS_EVERY_S = 2.0
"""So far sound that was not made in time may be behind the clock before that is written down."""

MOST_ANCHORS = 1000

OWN_EVENTS_FROM = 100_000
"""Events that are found here are counted apart from those of the rules."""

_ORDER = {rule.name: place for place, rule in enumerate(RULES)}
_items = TypeAdapter(list[Item])


class WatchDesk:
    """Owns the evening under way, if there is one, and the list of those there were."""

    def __init__(
        self,
        data_dir: Path,
        rig: Callable[[], Rig],
        want: Callable[[], None],
        frame_now: Callable[[], int],
        supervisor: Supervisor,
        tell: Callable[[str], None],
        notify: Callable[[str, str], None],
        record: Callable[[], tuple[RecordingState, RecordFacts]],
        say_aloud: Callable[[str], None],
        changed: Callable[[], None],
    ) -> None:
        """``want`` is called when what is to be watched over is another, ``frame_now`` says where the timeline is.
        ``tell`` shows the state in every window, ``changed`` is called whenever something is another for other programs;
        ``record`` says how the recording stands."""
        self._store, self._rig = EveningStore(data_dir), rig
        self._want, self._frame_now = want, frame_now
        self._supervisor, self._tell, self._notify = supervisor, tell, notify
        self._record, self._say_aloud, self._changed = record, say_aloud, changed
        self._evening: Evening | None = None
        self._history = History()
        self._events: dict[int, Event] = {}
        self._meter = b""
        self._new_minutes: set[int] = set()
        self._new_events: set[int] = set()
        self._is_new = False
        self._began_frame = 0
        self._marks_here: tuple[int, set[int]] = (0, set())
        """The recording under way, and its marks by their numbers."""
        self._ahead_s = 0.0
        self._own_events = OWN_EVENTS_FROM
        self._save_trouble = ""
        self._before: list[Item] = []
        self._list_changes = time.time_ns() // 1_000_000
        self._stage: Any = "off"

    # --- start and end of the program -------------------------------------------------------------

    async def open(self) -> None:
        """Open the database, and go on with what was cut, or close it."""
        try:
            notice = await self._store.open()
        except StoreUnusable as error:
            self._save_trouble = str(error)
            self._notify(str(error), "trouble")
            return
        if notice:
            self._notify(notice, "trouble")
        try:
            left = await self._store.do(evenings.left_open)
            for place, evening_id in enumerate(left):
                await self._take_up(evening_id, may_resume=place == 0)
        except StoreUnusable as error:
            self._notify(str(error), "trouble")

    async def _take_up(self, evening_id: str, *, may_resume: bool) -> None:
        try:
            evening, history, meter = await self._store.do(lambda db: evenings.read(db, evening_id))
        except NotFound:
            return
        seconds = max(evening.seconds, float(history.seconds))
        # A clock that was set back meanwhile says nothing of how long it was.
        away_s = max(0.0, (datetime.now(UTC) - evening.utc_at(seconds)).total_seconds())
        events = [one.ended(seconds) for one in evening.events]
        if may_resume and away_s < RESUMES_S:
            self._evening = evening.model_copy(update={"events": []})
            self._history, self._meter = history, meter or b""
            self._events = {one.number: one for one in events}
            self._new_events = set(self._events)
            self._own_events = max([OWN_EVENTS_FROM, *self._events])
            self._began_frame = self._frame_now() - round((seconds + away_s) * SAMPLE_RATE_HZ)
            self._stage = "on_air"
            self._note(
                "Goshawk was away",
                f"The program was gone for {away_s:.0f} s, and was started again.",
                seconds,
                seconds + away_s,
            )
            self._notify("You are on air still: the evening goes on where it was cut.", "news")
            return
        closed = evening.model_copy(
            update={"is_over": True, "was_cut": True, "seconds": seconds, "events": events}
        )
        closed = closed.model_copy(update={"advice": advice(closed)})
        await self._store.do(lambda db: evenings.write(db, closed, {}, events, None))
        self._notify("The last evening was cut. Its report is made: see Watch.", "news")

    async def close(self) -> None:
        """The program ends: the evening is kept to the last second, and goes on if the program is soon there again."""
        if self._evening is not None:
            self._is_new = True
            try:
                await self._flush()
            except StoreUnusable:
                log.warning("the evening's last seconds could not be kept")
        await self._store.close()

    # --- on air -----------------------------------------------------------------------------------

    @property
    def is_on(self) -> bool:
        """Whether somebody is on air."""
        return self._evening is not None

    @property
    def now_s(self) -> float:
        """Where the evening stands."""
        if self._evening is None:
            return 0.0
        return max(0.0, (self._frame_now() - self._began_frame) / SAMPLE_RATE_HZ)

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
    def state(self) -> WatchState:
        """What every window shows."""
        evening = self._evening
        events = sorted(self._events.values(), key=lambda one: one.began_s)
        return WatchState(
            stage=self._stage,
            evening=evening.id if evening else "",
            started_utc=evening.started_utc if evening else None,
            seconds=round(self.now_s, 1),
            anchors=evening.anchors[-SHOWN_ANCHORS:] if evening else [],
            marks=evening.marks if evening else [],
            recordings=evening.recordings if evening else [],
            events=events[-SHOWN_EVENTS:],
            told=self.told,
            before=[] if evening else self._before,
            save_trouble=self._save_trouble,
            changes=self._list_changes,
        )

    @property
    def last_mark(self) -> int:
        """The highest number of a mark of the broadcast; 0 if there is none."""
        marks = self._evening.marks if self._evening else []
        return max((one.id for one in marks), default=0)

    @property
    def on_air(self) -> OnAir | None:
        """What the observer is to watch over; None while nobody is on air."""
        if self._evening is None or self._stage == "ending":
            return None
        known = (one.number for one in self._events.values() if one.is_known)
        dismissed = sorted(number for number in known if number < OWN_EVENTS_FROM)
        return OnAir(self._evening.id, self._began_frame, tuple(dismissed))

    @property
    def resumed(self) -> Resumed | None:
        """How far the broadcast is, for an observer that is started."""
        if self._evening is None:
            return None
        own = [number for number in self._events if number < OWN_EVENTS_FROM]
        return Resumed(self._evening.id, max(own, default=0), self._meter)

    async def go_on_air(self) -> WatchState:
        """Begin an evening. Raises BadInput if somebody is on air."""
        if self._evening is not None:
            raise BadInput("You are on air already.")
        rig, now = self._rig(), datetime.now(UTC)
        self._evening = Evening(
            id=secrets.token_hex(6),
            title=f"{now.astimezone():%Y-%m-%d %H.%M} {rig.name}",
            started_utc=now,
            rig=rig,
            anchors=[Anchor(at_s=0.0, utc=now)],
        )
        self._history, self._events, self._meter = History(), {}, b""
        self._new_minutes, self._new_events, self._is_new = set(), set(), True
        self._began_frame, self._ahead_s = self._frame_now(), 0.0
        self._own_events = OWN_EVENTS_FROM
        self._stage, self._before = "on_air", []
        self._want()
        self._show()
        return self.state

    async def go_off_air(self) -> WatchState:
        """End it; its report is made. Raises BadInput if nobody is on air."""
        evening = self._evening
        if evening is None or self._stage == "ending":
            raise BadInput("You are not on air.")
        self._stage = "ending"
        self._want()
        self._show()
        try:
            await self._end(evening)
        finally:
            self._evening, self._stage = None, "off"
            self._list_changes += 1
            self._show()
        return self.state

    async def _end(self, evening: Evening) -> None:
        seconds = round(self.now_s, 2)
        self._events = {number: one.ended(seconds) for number, one in self._events.items()}
        self._new_events = set(self._events)
        current = self._evening or evening
        self._evening = current.model_copy(
            update={
                "seconds": seconds,
                "is_over": True,
            }
        )
        events = sorted(self._events.values(), key=lambda one: one.began_s)
        whole = self._evening.model_copy(update={"events": events})
        self._evening = self._evening.model_copy(update={"advice": advice(whole)})
        self._is_new = True
        try:
            await self._flush()
        except StoreUnusable as error:
            self._notify(f"The evening's end could not be kept. {error}", "trouble")

    def know(self, number: int) -> None:
        """The user knows of an event. Raises NotFound."""
        one = self._events.get(number)
        if one is None:
            raise NotFound("That event is not there any more.")
        self._events[number] = one.model_copy(update={"is_known": True})
        self._new_events.add(number)
        self._want()
        self._show()

    # --- what the observer says -------------------------------------------------------------------

    def hear(self, said: requests.Watched) -> None:
        """What is new of the evening; what belongs to another one is dropped."""
        evening = self._evening
        if evening is None or said.broadcast != evening.id or self._stage == "ending":
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
            figures = Figures.model_validate(found.pop("figures"))
            self._evening = (self._evening or evening).model_copy(
                update={**found, "figures": figures}
            )
        if said.aloud and self._rig().watch.says_aloud:
            self._say_aloud(said.aloud)
        if said.events or said.second:
            self._show()

    def _put(self, second: Second) -> None:
        recording, _ = self._record()
        values = {**second.values, columns.RECORDING: float(recording.stage == "running")}
        self._history.put(Second(number=second.number, values=values))
        self._new_minutes.add(second.number // MINUTE_S)
        if self._evening is not None:
            seconds = float(self._history.seconds)
            update: dict[str, Any] = {"seconds": seconds}
            if recording.id:
                at_s = (recording.first_frame - self._began_frame) / SAMPLE_RATE_HZ
                known = [one for one in self._evening.recordings if one.id != recording.id]
                update["recording"] = recording.id
                update["recordings"] = [*known, RecordedPart(id=recording.id, at_s=at_s)]
            self._evening = self._evening.model_copy(update=update)
            self._is_new = True

    def _look_at_clock(self, at_s: float) -> None:
        """The computer's clock against the sound's: another anchor where it was set, or the computer slept."""
        evening = self._evening
        if evening is None or not evening.anchors or os.environ.get(TEST_CLOCK):
            return
        now = datetime.now(UTC)
        before_s, self._ahead_s = self._ahead_s, (now - evening.utc_at(at_s)).total_seconds()
        ahead_s = self._ahead_s - before_s
        if abs(self._ahead_s) < ANCHORS_EVERY_S or len(evening.anchors) >= MOST_ANCHORS:
            return
        anchors = [*evening.anchors, Anchor(at_s=at_s, utc=now)]
        self._evening, self._ahead_s = evening.model_copy(update={"anchors": anchors}), 0.0
        if abs(ahead_s) < CLOCK_JUMPS_S:
            return
        word = "on" if ahead_s > 0 else "back"
        self._note(
            "The clock jumped",
            f"The computer slept, or its clock was set {word} by {_span(abs(ahead_s))}.",
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
        self._is_new = True

    def hear_before(self, said: requests.Before) -> None:
        """The list of what must be true before going on air; what the disk says to it is known here."""
        _, facts = self._record()
        found = _items.validate_json(said.items)
        self._before = [*found, disk_item(facts.free_s, facts.preview_trouble)]
        if self._evening is None:
            self._show()

    def lose_observer(self) -> None:
        """The observer is gone: what lasts has ended as far as is known."""
        for number, one in list(self._events.items()):
            if one.lasts:
                self._events[number] = one.ended(round(self.now_s, 2))
                self._new_events.add(number)
        if self._evening is not None:
            self._show()

    def follow_rig(self, before: Rig, after: Rig) -> None:
        """Something was changed while on air."""
        evening = self._evening
        if evening is None or len(evening.changes) >= MOST_CHANGES:
            return
        change = changes_between(before, after, 0)
        if change is not None:
            noted = SettingsChange(at_s=round(self.now_s, 1), settings=change.settings)
            self._evening = evening.model_copy(update={"changes": [*evening.changes, noted]})
            self._is_new = True

    def follow_marks(self, run: int, marks: list[WantedMark]) -> None:
        """The user's marks of the recording under way (its number since the start) are others: the broadcast keeps them by its own time,
        whatever becomes of the recording."""
        evening = self._evening
        if evening is None:
            return
        placed = [
            Mark(id=one.id, frame=one.frame - self._began_frame, name=one.name)
            for one in marks
            if one.frame >= self._began_frame
        ]
        before_run, before = self._marks_here
        numbers = {one.id for one in placed}
        gone = before - numbers if run == before_run else set()
        self._marks_here = (run, numbers)
        kept = {one.id: one for one in evening.marks if one.id not in gone}
        kept |= {one.id: one for one in placed}
        self._evening = evening.model_copy(
            update={"marks": sorted(kept.values(), key=lambda one: one.frame)}
        )
        self._is_new = True
        self._show()

    def _show(self) -> None:
        self._tell(self.state.model_dump_json())
        self._changed()

    # --- keeping ----------------------------------------------------------------------------------

    async def keep_on(self) -> None:
        """For ever: every few seconds, what is new is kept in one transaction."""
        while True:
            await asyncio.sleep(FLUSHES_EVERY_S)
            if self._evening is None or self._stage == "ending":
                continue
            try:
                await self._flush()
                trouble = ""
            except StoreUnusable as error:
                trouble = str(error)
            if trouble != self._save_trouble:
                self._save_trouble = trouble
                if trouble:
                    self._notify(trouble, "trouble")
                self._show()

    async def _flush(self) -> None:
        evening = self._evening
        if evening is None or not (self._is_new or self._new_minutes or self._new_events):
            return
        minutes = {one: self._history.packed_minute(one) for one in self._new_minutes}
        events = [self._events[one] for one in self._new_events if one in self._events]
        new_minutes, new_events = self._new_minutes, self._new_events
        self._new_minutes, self._new_events, self._is_new = set(), set(), False
        meter = self._meter or None
        try:
            await self._store.do(lambda db: evenings.write(db, evening, minutes, events, meter))
        except GoshawkError:
            # Kept, and tried again: it is all in memory still.
            self._new_minutes |= new_minutes
            self._new_events |= new_events
            self._is_new = True
            raise

    # --- what there is ----------------------------------------------------------------------------

    async def listed(self) -> list[KeptEvening]:
        """All evenings. Raises StoreUnusable."""
        return await self._store.do(evenings.listed)

    async def load(self, evening_id: str) -> tuple[Evening, History]:
        """An evening, also the one under way. Raises NotFound, StoreUnusable."""
        current = self._evening
        if current is not None and current.id == evening_id:
            events = sorted(self._events.values(), key=lambda one: one.began_s)
            return current.model_copy(update={"events": events}), self._history
        evening, history, _ = await self._store.do(lambda db: evenings.read(db, evening_id))
        return evening, history

    async def differences(self, evening: Evening) -> Differences:
        """What was set otherwise than on the evening before. Raises StoreUnusable."""
        return differences(await self._store.do(lambda db: evenings.before(db, evening)), evening)

    async def lanes(
        self, evening_id: str, from_s: float, to_s: float | None, points: int
    ) -> DrawnLanes:
        """An evening's lanes, or those of a part of it. Raises NotFound, BadInput, StoreUnusable."""
        evening, history = await self.load(evening_id)
        end = history.seconds if to_s is None else min(int(to_s), columns.LONGEST_EVENING_S)
        first = max(0, int(from_s))
        if end <= first:
            end = first + 1
        values = await asyncio.to_thread(history.lanes, first, end, points)
        is_now = self._evening is not None and evening.id == self._evening.id
        return DrawnLanes(**dict(values), drawn=lanes_of(self._rig() if is_now else evening.rig))

    async def change(self, evening_id: str, title: str | None, note: str | None) -> Evening:
        """Another title or note. Raises NotFound, BadInput, StoreUnusable."""
        if self._evening is not None and self._evening.id == evening_id:
            raise BadInput("That evening is under way. End it first.")
        evening, _ = await self.load(evening_id)
        changed = evening.model_copy(
            update={
                "title": evening.title if title is None else title,
                "note": evening.note if note is None else note,
            }
        )
        await self._store.do(lambda db: evenings.write(db, changed, {}, [], None))
        self._list_changes += 1
        self._show()
        return changed

    async def remove(self, evening_id: str) -> None:
        """Delete an evening; for a day it can be brought back. Raises NotFound, BadInput, StoreUnusable."""
        if self._evening is not None and self._evening.id == evening_id:
            raise BadInput("That evening is under way. End it first.")
        await self._store.do(lambda db: evenings.remove(db, evening_id))
        self._list_changes += 1
        self._show()

    async def restore(self, evening_id: str) -> None:
        """Bring back what was deleted. Raises NotFound, StoreUnusable."""
        await self._store.do(lambda db: evenings.restore(db, evening_id))
        self._list_changes += 1
        self._show()


def _span(seconds: float) -> str:
    return f"{seconds:.0f} s" if seconds < 120 else f"{seconds / 60:.0f} min"

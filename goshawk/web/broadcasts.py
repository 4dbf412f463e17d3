"""Broadcasts: the one under way is begun, watched over, kept and ended here; those there were are listed, read, changed and deleted. What
is found comes from the observer."""

import asyncio
import logging
import time
from datetime import UTC, datetime
from typing import Literal

from pydantic import TypeAdapter

from goshawk.bus import Bus
from goshawk.core.watch import second as columns
from goshawk.core.watch.before import Item, disk_item
from goshawk.core.watch.lane import DrawnLanes, lanes_of
from goshawk.core.watch.report import Differences, Evening, differences
from goshawk.core.watch.second import BroadcastHistory
from goshawk.engine.client import EngineClient
from goshawk.errors import BadInput, GoshawkError, NotFound, StoreUnusable
from goshawk.observer import requests
from goshawk.observer.client import ObserverGone
from goshawk.page_messages.watch import WatchState
from goshawk.store.evenings import evenings
from goshawk.store.evenings.evenings import KeptEvening
from goshawk.units import db_to_linear
from goshawk.web.broadcast import Broadcast, closed, cut_at
from goshawk.web.evening_store import EveningStore
from goshawk.web.events import MarksChanged, RecordingShown, RigSet, WatchShown
from goshawk.web.notices import Notices
from goshawk.web.observer_document import ObserverDocument
from goshawk.web.record_desk import RecordDesk
from goshawk.web.rig_desk import RigDesk

log = logging.getLogger(__name__)

FLUSHES_EVERY_S = 3.0
SHOWN_EVENTS = 200
SHOWN_ANCHORS = 20
RESUMES_S = 900.0
"""An evening that was cut so recently goes on at the next start; an older one is closed."""

_items = TypeAdapter(list[Item])


class Broadcasts:
    """Owns the broadcast under way, if there is one, and the list of those there were."""

    def __init__(
        self,
        store: EveningStore,
        desk: RigDesk,
        engine: EngineClient,
        record: RecordDesk,
        document: ObserverDocument,
        bus: Bus,
        notices: Notices,
    ) -> None:
        self._store, self._desk, self._engine, self._record = store, desk, engine, record
        self._document, self._bus, self._notices = document, bus, notices
        self.current: Broadcast | None = None
        self._save_trouble = ""
        self._before: list[Item] = []
        self._list_changes = time.time_ns() // 1_000_000
        bus.subscribe(requests.Watched, self._hear)
        bus.subscribe(requests.Before, self._hear_before)
        bus.subscribe(ObserverGone, self._lose_observer)
        bus.subscribe(RigSet, self._follow_rig)
        bus.subscribe(RecordingShown, self._follow_recording)
        bus.subscribe(MarksChanged, self._follow_marks)

    # --- start and end of the program -------------------------------------------------------------

    async def open(self) -> None:
        """Open the database, and go on with what was cut, or close it."""
        try:
            notice = await self._store.open()
        except StoreUnusable as error:
            self._save_trouble = str(error)
            self._notices.trouble(str(error))
            return
        if notice:
            self._notices.trouble(notice)
        try:
            left = await self._store.do(evenings.left_open)
            for place, evening_id in enumerate(left):
                await self._take_up(evening_id, may_resume=place == 0)
        except StoreUnusable as error:
            self._notices.trouble(str(error))

    async def _take_up(self, evening_id: str, *, may_resume: bool) -> None:
        try:
            evening, history, meter = await self._store.do(lambda db: evenings.read(db, evening_id))
        except NotFound:
            return
        # A clock that was set back meanwhile says nothing of how long it was.
        away = datetime.now(UTC) - evening.utc_at(cut_at(evening, history))
        away_s = max(0.0, away.total_seconds())
        if may_resume and away_s < RESUMES_S:
            self._begin(
                Broadcast.resumed(evening, history, meter or b"", self._engine.frame_now, away_s)
            )
            self._notices.news("You are on air still: the evening goes on where it was cut.")
            return
        over = closed(evening, history)
        await self._store.do(lambda db: evenings.write(db, over, {}, over.events, None))
        self._notices.news("The last evening was cut. Its report is made: see Watch.")

    async def close(self) -> None:
        """The program ends: the evening is kept to the last second, and goes on if the program is soon there again."""
        try:
            await self._flush()
        except StoreUnusable:
            log.warning("the evening's last seconds could not be kept")
        await self._store.close()

    # --- on air -----------------------------------------------------------------------------------

    @property
    def is_on(self) -> bool:
        """Whether somebody is on air."""
        return self.current is not None

    @property
    def _stage(self) -> Literal["off", "on_air", "ending"]:
        if self.current is None:
            return "off"
        return "ending" if self.current.is_ending else "on_air"

    @property
    def state(self) -> WatchState:
        """What every window shows."""
        current = self.current
        found = WatchState(
            stage=self._stage,
            before=[] if current else self._before,
            save_trouble=self._save_trouble,
            changes=self._list_changes,
        )
        if current is None:
            return found
        document = current.document
        return found.model_copy(
            update={
                "evening": document.id,
                "started_utc": document.started_utc,
                "seconds": round(current.second_of(self._engine.frame_now), 1),
                "anchors": document.anchors[-SHOWN_ANCHORS:],
                "marks": document.marks,
                "recordings": document.recordings,
                "events": document.events[-SHOWN_EVENTS:],
                "told": current.told,
            }
        )

    def go_on_air(self) -> None:
        """Begin an evening. Raises BadInput if somebody is on air."""
        if self.current is not None:
            raise BadInput("You are on air already.")
        self._begin(Broadcast.begun(self._desk.set, self._engine.frame_now))

    def _begin(self, current: Broadcast) -> None:
        self.current, self._before = current, []
        current.follow_recording(self._record.state)
        self._want()
        self._show()

    async def go_off_air(self) -> None:
        """End it; its report is made. Raises BadInput if nobody is on air."""
        current = self.current
        if current is None or current.is_ending:
            raise BadInput("You are not on air.")
        current.end(self._engine.frame_now)
        self._want()
        self._show()
        try:
            await self._flush()
        except StoreUnusable as error:
            self._notices.trouble(f"The evening's end could not be kept. {error}")
        finally:
            self.current = None
            self._want()
            self._list_changed()

    def know(self, number: int) -> None:
        """The user knows of an event. Raises NotFound."""
        if self.current is None:
            raise NotFound("That event is not there any more.")
        self.current.know(number)
        self._want()
        self._show()

    def _want(self) -> None:
        self._document.be_on_air(self.current.on_air if self.current else None)
        self._resume()

    def _resume(self) -> None:
        self._document.resumed = self.current.resumes_from if self.current else None

    # --- what is heard of it ----------------------------------------------------------------------

    def _hear(self, said: requests.Watched) -> None:
        current = self.current
        if current is None:
            return
        current.hear(said)
        self._resume()
        watch = self._desk.set.watch
        is_of_it = said.broadcast == current.id and not current.is_ending
        if said.aloud and watch.says_aloud and is_of_it:
            self._engine.say_aloud(said.aloud, db_to_linear(watch.aloud_db))
        if said.events or said.second:
            self._show()

    def _hear_before(self, said: requests.Before) -> None:
        """The list of what must be true before going on air; what the disk says to it is known here."""
        facts = self._record.facts
        found = _items.validate_json(said.items)
        self._before = [*found, disk_item(facts.free_s, facts.preview_trouble)]
        if self.current is None:
            self._show()

    def _lose_observer(self, _: ObserverGone) -> None:
        if self.current is not None:
            self.current.lose_observer(self._engine.frame_now)
            self._show()

    def _follow_rig(self, said: RigSet) -> None:
        if self.current is not None:
            self.current.follow_rig(said.before, said.after, self._engine.frame_now)

    def _follow_recording(self, said: RecordingShown) -> None:
        if self.current is not None:
            self.current.follow_recording(said.state)

    def _follow_marks(self, said: MarksChanged) -> None:
        if self.current is not None:
            self.current.follow_marks(said.run, said.marks)
            self._show()

    def _show(self) -> None:
        self._bus.publish(WatchShown(self.state))

    def _list_changed(self) -> None:
        self._list_changes += 1
        self._show()

    # --- keeping ----------------------------------------------------------------------------------

    async def keep_on(self) -> None:
        """For ever: every few seconds, what is new is kept in one transaction."""
        while True:
            await asyncio.sleep(FLUSHES_EVERY_S)
            if self._stage != "on_air":
                continue
            try:
                await self._flush()
                trouble = ""
            except StoreUnusable as error:
                trouble = str(error)
            if trouble != self._save_trouble:
                self._save_trouble = trouble
                if trouble:
                    self._notices.trouble(trouble)
                self._show()

    async def _flush(self) -> None:
        current = self.current
        new = current.take_unsaved() if current else None
        if current is None or new is None:
            return
        try:
            await self._store.do(
                lambda db: evenings.write(db, new.document, new.minutes, new.events, new.meter)
            )
        except GoshawkError:
            current.give_back(new)
            raise

    # --- what there is ----------------------------------------------------------------------------

    async def listed(self) -> list[KeptEvening]:
        """All evenings. Raises StoreUnusable."""
        return await self._store.do(evenings.listed)

    def _is_current(self, evening_id: str) -> bool:
        return self.current is not None and self.current.id == evening_id

    async def load(self, evening_id: str) -> tuple[Evening, BroadcastHistory]:
        """An evening, also the one under way. Raises NotFound, StoreUnusable."""
        if self.current is not None and self.current.id == evening_id:
            return self.current.document, self.current.history
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
        rig = self._desk.set if self._is_current(evening_id) else evening.rig
        return DrawnLanes(**dict(values), drawn=lanes_of(rig))

    def _refuse_current(self, evening_id: str) -> None:
        if self._is_current(evening_id):
            raise BadInput("That evening is under way. End it first.")

    async def change(self, evening_id: str, title: str | None, note: str | None) -> Evening:
        """Another title or note. Raises NotFound, BadInput, StoreUnusable."""
        self._refuse_current(evening_id)
        evening, _ = await self.load(evening_id)
        changed = evening.model_copy(
            update={
                "title": evening.title if title is None else title,
                "note": evening.note if note is None else note,
            }
        )
        await self._store.do(lambda db: evenings.write(db, changed, {}, [], None))
        self._list_changed()
        return changed

    async def remove(self, evening_id: str) -> None:
        """Delete an evening; for a day it can be brought back. Raises NotFound, BadInput, StoreUnusable."""
        self._refuse_current(evening_id)
        await self._store.do(lambda db: evenings.remove(db, evening_id))
        self._list_changed()

    async def restore(self, evening_id: str) -> None:
        """Bring back what was deleted. Raises NotFound, StoreUnusable."""
        await self._store.do(lambda db: evenings.restore(db, evening_id))
        self._list_changed()

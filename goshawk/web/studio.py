"""What is going on now: puts together the rig's desk, the processes that play and observe, and the pages that watch. (Longer
than other modules: what goes from one part to another stands in one place.)"""

import asyncio
import contextlib
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar

from pydantic import TypeAdapter

from goshawk import __version__
from goshawk.core.computer import Computer, input_devices, output_devices, programs_heard
from goshawk.core.device_info import info_of
from goshawk.core.measure.take import TakeKind
from goshawk.core.rig import Rig
from goshawk.core.routing import FEEDS
from goshawk.core.rules.balance import with_holds_let_go
from goshawk.core.rules.sentences import feed_sentence
from goshawk.core.sound_file_info import StoredSoundFile
from goshawk.core.target_sets import TARGET_SETS, chosen_set
from goshawk.devices.catalog import (
    DEVICES,
    INPUT_DEVICES,
    OUTPUT_DEVICES,
    PRACTICE_UNIT,
    checked_fault,
)
from goshawk.engine.client import EngineClient, ForUser
from goshawk.engine.messages import Seen
from goshawk.engine.spawn import Spawned
from goshawk.errors import GoshawkError, StoreUnusable
from goshawk.observer import requests
from goshawk.observer.client import ObserverClient
from goshawk.observer.wanted import Begin, Shown, Wanted
from goshawk.page_messages.live import Levels, State
from goshawk.store import rigs, sound_checks
from goshawk.store.database import Opened
from goshawk.store.sound_checks import KeptCheck, StoredTake
from goshawk.store.work_folder import WorkFolder, sweep
from goshawk.supervisor import Supervisor, to_its_end
from goshawk.units import db_to_linear
from goshawk.web.access import Access
from goshawk.web.balance_desk import BalanceDesk
from goshawk.web.buffer_search import BufferSearch
from goshawk.web.changes import Changes
from goshawk.web.check_desk import CheckDesk
from goshawk.web.curves import curves_of
from goshawk.web.evening import Evening
from goshawk.web.lamps import Lamps
from goshawk.web.microphone_claim import MicrophoneClaim
from goshawk.web.observer_document import Measuring, wanted_of_observer
from goshawk.web.pages import LivePage, Pages, notice
from goshawk.web.points import Listener, Points
from goshawk.web.preset_shelf import PresetShelf
from goshawk.web.record_desk import RecordDesk
from goshawk.web.rig_desk import RigDesk
from goshawk.web.sound_desk import SoundDesk
from goshawk.web.sound_file_shelf import SoundFileShelf
from goshawk.web.told import Told
from goshawk.web.tuning_desk import TuningDesk
from goshawk.web.watch_desk import WatchDesk
from goshawk.web.what_plays import WhatPlays

T = TypeVar("T")
MOST_WATCHED = 8
"""So many of the computer's devices run to show their levels."""
COUGH_OUTLASTS_S = 3.0
"""So long a cough goes on when its page is gone: a connection that breaks while the key is held must not open the
microphone, and a page that is closed must not leave it shut."""
_takes = TypeAdapter(dict[TakeKind, StoredTake])


class Studio:
    """Every part knows only what it is given here; what goes from one to another goes through here."""

    def __init__(
        self,
        data_dir: Path,
        opened: Opened,
        spawned: Spawned | None = None,
        recordings_dir: Path | None = None,
    ) -> None:
        """``spawned`` is an audio process that waits for its plan; one is started if there is none. ``recordings_dir`` is
        where recordings lie unless another folder is chosen; None: beside all else that is saved."""
        self._db = opened.connection
        self._data_dir = data_dir
        saved = rigs.load_active_rig(self._db)
        self._start_notices = [text for text in (opened.notice, saved.notice) if text]
        self.pages = Pages(lambda: self.state().model_dump_json())
        self.notify = self.pages.notify
        self.lamps = Lamps(self.pages)
        self.supervisor = Supervisor(lambda text: self.notify(text, "trouble"))
        self.work = WorkFolder(data_dir / "work")
        self.work.clear()
        self._takes = sound_checks.list_takes(self._db)
        self._kept_check = sound_checks.load_check(self._db)
        sweep(data_dir / "takes", (one.file for one in self._takes.values()))
        self._storing = asyncio.Lock()
        self._is_closed = False
        self._levels: str | None = None
        self._was_running = False
        self._coughing: set[LivePage] = set()
        self._watching: set[LivePage] = set()
        self._balancing: set[LivePage] = set()
        self._before: set[LivePage] = set()
        self._recording: set[LivePage] = set()
        tell = self.pages.tell_state
        self.desk = RigDesk(
            self._db, saved, self._in_store, self._adjusted, self._hear, self.notify, tell
        )
        self.changes = Changes(self.desk, self.state, self.notify)
        self.presets = PresetShelf(
            self._db, lambda: self.desk.set, self.changes.make, self._in_store, self.notify, tell
        )
        self.files = SoundFileShelf(
            self._db, data_dir / "sounds", lambda path: self.engine.play_file(path), self._in_store
        )
        self.engine = EngineClient(
            saved.rig,
            self._on_seen,
            self._on_engine_notice,
            spawned,
            lambda stage_id, way_ms: self.tuning.hear_insert(stage_id, way_ms),
            lambda number, rig: self.record.follow_plan(number, rig),
        )
        self.measuring = Measuring()
        self.observer = ObserverClient(
            self.engine.memory.name,
            self._begin,
            self._wanted,
            self._on_said,
            self._save,
            self._on_observer_lost,
        )

        def want() -> None:
            self.points.learn(self.measuring.learning.stage_id if self.measuring.learning else "")
            self.observer.changed()

        self.plays = WhatPlays(lambda: self.rig, lambda: self.engine)
        self.buffer_search = BufferSearch(self.plays.give, tell, self.supervisor)
        self.plays.buffer_search = self.buffer_search
        self.points = Points(
            lambda: self.engine.memory, lambda names: self.engine.set_points(names), self._look
        )
        self.sound = SoundDesk(self._on_computer)
        self.access = Access(self._db, self._in_store, tell)
        self.microphone = MicrophoneClaim(lambda: self.engine, self.notify)

        def observer() -> ObserverClient:
            return self.observer

        own_recordings = data_dir / "recordings"
        self.record = RecordDesk(
            self._db,
            own_recordings,
            recordings_dir or own_recordings,
            lambda: self.rig,
            lambda: self.engine,
            observer,
            self.points.record,
            lambda: self.levels,
            self._in_store,
            self.work,
            self.supervisor,
            lambda text: self.pages.tell(text, "recording"),
            tell,
            self.notify,
            lambda run, marks: self.watch.follow_marks(run, marks),
        )
        self.told = Told(self)
        self.watch = WatchDesk(
            data_dir,
            lambda: self.desk.set,
            want,
            lambda: self.engine.frame_now,
            self.supervisor,
            lambda text: self.pages.tell(text, "watch"),
            self.notify,
            lambda: (self.record.state, self.record.facts),
            lambda name: self.engine.say_aloud(name, db_to_linear(self.desk.set.watch.aloud_db)),
            self.told.changed,
        )
        self.evening = Evening(self.watch, self.record, self.desk, self.supervisor, self.notify)
        self._heard_rig = saved.rig
        self.tuning = TuningDesk(
            self.desk,
            self.changes,
            self.presets,
            self.measuring,
            want,
            lambda: self.engine,
            self.supervisor,
            self.notify,
        )
        self.balance = BalanceDesk(
            self.desk, self.changes, observer, self._let_go, self.measuring, want, self.notify
        )
        self.check = CheckDesk(
            self.desk, self.changes, observer, self._keep_check, self.work, self.notify
        )

    async def start(self) -> None:
        """Start the processes."""
        self.files.give(self.desk.set)
        self.sound.want(self.desk.set)
        self.sound.start()
        await self.engine.start()
        await self.evening.open()
        self._look()
        self.observer.start()
        self.supervisor.keep("saving again", self.desk.save_again)
        self.supervisor.keep("passing the sound on", self.points.pass_on)
        self.supervisor.keep("lighting the lamps", self.lamps.keep)
        self.supervisor.keep("listing sound cards", self.sound.follow_cards)
        self.supervisor.keep("looking after recordings", self.record.look_on)
        self.supervisor.keep("keeping the evening", self.watch.keep_on)
        self.supervisor.keep("telling other programs", self.told.tell_on)
        self.supervisor.once("mending recordings", self.record.mend_left())

    async def stop(self) -> None:
        """Stop the processes and close the database."""
        self.buffer_search.cancel()
        self.access.end_all()
        self.told.end()
        await self.record.close()
        await self.supervisor.close()
        await self.watch.close()
        await asyncio.gather(self.observer.stop(), self.engine.stop())
        await self.sound.stop()
        self.work.clear()
        async with self._storing:  # what is being written is finished first
            self._is_closed = True
            self._db.close()

    # --- state -----------------------------------------------------------------------------------

    @property
    def rig(self) -> Rig:
        """The rig that is heard now: the one that is set, or one that is being tried."""
        return self.desk.rig

    def state(self) -> State:
        """What every window shows."""
        return State(
            rig=self.rig,
            plan=self.engine.plan_number,
            can_undo=self.desk.can_undo,
            can_redo=self.desk.can_redo,
            is_saved=self.desk.is_saved,
            save_trouble=self.desk.trouble,
            devices=[*INPUT_DEVICES, *input_devices(self.sound.computer, self.rig)],
            output_devices=[*OUTPUT_DEVICES, *output_devices(self.sound.computer)],
            insert_unit=PRACTICE_UNIT,
            computer=self.sound.computer,
            sound_files=self.files.listed,
            is_engine_running=self.engine.is_running,
            curves=curves_of(self.rig),
            sentences={feed: feed_sentence(self.rig, feed) for feed in FEEDS},
            buffer_search=self.buffer_search.state,
            is_coughing=bool(self._coughing),
            presets=self.presets.listed(),
            addresses=self.access.listed(),
            changed_presets=self.presets.changed(self.rig),
            loop=self.plays.loop,
            record=self.record.facts,
            target_sets=list(TARGET_SETS),
            target_set=chosen_set(self.rig),
            version=__version__,
        )

    @property
    def levels_text(self) -> str | None:
        """The newest figures as JSON; None until the engine plays."""
        return self._levels

    @property
    def levels(self) -> Levels | None:
        """The newest figures."""
        return Levels.model_validate_json(self._levels) if self._levels else None

    def _adjusted(self, before: Rig, wished: Rig) -> Rig:
        """What is to be set of what is wished. Raises NotFound if a file is not there."""
        rig = with_holds_let_go(before, wished, self.plays.held_db)
        self.files.check(rig)
        return rig

    def _hear(self, rig: Rig) -> None:
        self.files.give(rig)
        self.sound.want(rig)
        self.plays.give()
        self.observer.changed()
        if not self.desk.is_trying and rig != self._heard_rig:
            self.watch.follow_rig(self._heard_rig, rig)
            self._heard_rig = rig
        no_more = [name for name in self.plays.held_db if not _is_held(rig, name)]
        if no_more:
            self._let_go(no_more)
        self.pages.tell_state()

    def _let_go(self, inputs: list[str]) -> None:
        """What these inputs' holds had added is in their trims now."""
        held_db = {name: db for name, db in self.plays.held_db.items() if name not in inputs}
        if held_db != self.plays.held_db:
            self.plays.hold(held_db)
            self.measuring.take_trims(inputs)
            self.observer.changed()

    # --- the store --------------------------------------------------------------------------------

    async def _in_store(self, work: Callable[[], T]) -> T:
        """Beside everything else; one after the other, since all of it shares one connection; to its end, whoever has
        given up waiting. Raises StoreUnusable."""

        async def in_turn() -> T:
            async with self._storing:
                if self._is_closed:
                    raise StoreUnusable("Goshawk is just being closed. Start it again.")
                return await asyncio.to_thread(work)

        return await to_its_end(in_turn())

    async def _save(self, what: requests.ToSave) -> None:
        """What the observer wants saved. Raises GoshawkError."""
        match what:
            case requests.SaveTake(packed):
                take = StoredTake.model_validate_json(packed)
                await self._in_store(lambda: sound_checks.save_take(self._db, take))
                self._takes[take.kind] = take
            case requests.ForgetTake(kind):
                known = next((one for one in self._takes if one == kind), None)
                if known:
                    await self._in_store(lambda: sound_checks.remove_take(self._db, known))
                    del self._takes[known]

    async def _keep_check(self, figures: Any) -> KeptCheck:
        kept = await self._in_store(lambda: sound_checks.keep_check(self._db, figures))
        self._kept_check = kept
        self.observer.changed()
        return kept

    async def add_file(self, uploaded: Path, name: str) -> StoredSoundFile:
        """Keep a sound file. Raises BadSoundFile."""
        # A long file takes seconds: settings can be changed meanwhile.
        file = await self.files.add(uploaded, name)
        self.pages.tell_state()
        return file

    async def remove_file(self, file_id: str) -> None:
        """Forget a sound file; if it is playing, there is silence instead. Raises NotFound."""
        if self.desk.set.devices.file.file_id == file_id:
            await self.changes.set_setting("devices.file.file_id", "")
            if any(self._knobs(one.device) == "file" for one in self.desk.set.inputs):
                self.notify("The file that was playing was removed. Choose another.", "news")
        await self.files.remove(file_id)
        self.pages.tell_state()

    # --- the observer -----------------------------------------------------------------------------

    def _wanted(self, number: int) -> Wanted:
        return wanted_of_observer(
            number,
            rig=self.rig,
            rig_set=self.desk.set if self.desk.is_trying else None,
            computer=self.sound.computer,
            shown=Shown(
                tuple(self.points.stages),
                tuple(self.points.chains),
                bool(self._balancing),
                bool(self._before),
                bool(self.pages),
            ),
            kept_check=self._kept_check,
            on_air=self.watch.on_air,
            measuring=self.measuring,
        )

    def _begin(self, wanted: Wanted) -> Begin:
        return Begin(
            str(self._data_dir / "takes"),
            str(self.work.path),
            _takes.dump_json(self._takes),
            wanted,
            self.watch.resumed,
        )

    def _on_computer(self, computer: Computer) -> None:
        """Something has come, gone or changed among the computer's devices and programs."""
        self._give_computer()
        self.observer.changed()
        self.pages.tell_state()

    def _give_computer(self) -> None:
        computer = self.sound.computer
        comes_in = [one for one in computer.devices if one.direction == "in"]
        watched = [one.id for one in sorted(comes_in, key=lambda one: one.is_monitor)]
        self.engine.know_computer(
            {
                **{one.key: one.device for one in computer.virtual if one.is_linked},
                **programs_heard(computer),
            },
            watched[:MOST_WATCHED] if self._watching else [],
            self.sound.cards_round,
        )

    def _look(self) -> None:
        self.engine.be_seen(bool(self.pages))
        self.observer.changed()

    def _on_said(self, said: requests.FromObserver) -> None:
        match said:
            case requests.ToPages(text, "levels"):
                if self.engine.is_running:
                    self._levels = text
                    self.pages.tell(text, "levels")
            case requests.ToPages(text, kind):
                self.pages.tell(text, kind)
            case requests.Notify(text, level):
                self.notify(text, level)
            case requests.UnderWay():
                self.plays.follow(said)
                self.pages.tell_state()
            case requests.RoomLearned():
                self.tuning.hear_room(said)
            case requests.PlayLoop():
                self.plays.play_loop(said)
            case requests.Compare():
                self.plays.compare(said)
            case requests.PlayReplay():
                self.plays.play_replay(said)
            case requests.Hold(held_db):
                self.plays.hold(held_db)
            case requests.Watched():
                self.watch.hear(said)
            case requests.Before():
                self.watch.hear_before(said)

    def _on_observer_lost(self) -> None:
        self._levels = None
        self.watch.lose_observer()
        if self.plays.is_apart:
            self.supervisor.once("ending what played", self._mute_and_end())
            return
        self.plays.forget()
        self.notify("The process that makes the figures stopped. It was started again.", "trouble")

    async def _mute_and_end(self) -> None:
        """What nobody was to hear must not go out because a process was lost: the voices are muted before their
        microphones return."""
        voices = [one for one in self.desk.set.inputs if one.role == "voice" and not one.is_muted]
        if voices:
            with contextlib.suppress(
                StoreUnusable
            ):  # It is heard, and tried again until it is saved.
                await self.changes.set_together(
                    {f"inputs.{one.id}.is_muted": True for one in voices}
                )
        self.plays.forget()
        self.notify(
            "The process that makes the figures stopped, and was started again. What played in your microphone's place "
            "has ended, so your voice was muted: unmute it when you are ready.",
            "trouble",
        )

    async def badness(self, key: str) -> float | None:
        """How bad a finding is now; None if it is gone."""
        found: float | None = await self.observer.ask(requests.Badness(key))
        return found

    # --- the engine -------------------------------------------------------------------------------

    def _on_seen(self, seen: Seen) -> None:
        self.lamps.see(seen)
        self.buffer_search.push(seen.engine)
        if not self._was_running:
            self._was_running = True
            self.pages.tell_state()

    def _on_engine_notice(self, said: ForUser) -> None:
        if not self.engine.is_running:
            self._levels = None
            self._was_running = False
            self.lamps.forget()
        self.notify(said.text, "news" if said.is_over else "trouble", said.about)

    # --- pages -----------------------------------------------------------------------------------

    def open_page(self) -> LivePage:
        """A page opens: it gets the state, and what is to be known from the start."""
        page = LivePage()
        page.tell(self.state().model_dump_json())
        page.tell(self.lamps.message)
        page.tell(self.record.state.model_dump_json())
        page.tell(self.watch.state.model_dump_json())
        for text in self._start_notices:
            page.tell(notice(text, "trouble"))
        self.pages.add(page)
        self._look()
        return page

    async def tell_opening(self, page: LivePage) -> None:
        """What a page that has opened has to know of the observer: ten seconds, the sound check, the balance."""
        try:
            for text in await self.observer.ask(requests.Opening()):
                page.tell(text)
        except GoshawkError:
            return  # The observer says all of it when it is there.

    def close_page(self, page: LivePage) -> None:
        """A page is gone. What it was trying is taken back: nobody would ever save it."""
        self.pages.discard(page)
        if page in self._coughing:
            # Its connection may have broken while the key is held, which the next one says again.
            asyncio.get_running_loop().call_later(COUGH_OUTLASTS_S, self.cough, page, False)
        self.watch_devices(page, False)
        self.points.watch_stage(page, "")
        self.points.watch_chain(page, "")
        self.watch_balance(page, False)
        self.look_at_watch(page, False)
        self.look_at_record(page, False)
        self.desk.take_back(page)
        self._look()

    @staticmethod
    def _knobs(device: str) -> str:
        return info_of(DEVICES, device).knobs

    def leave(self, listener: Listener) -> None:
        """A page's sound link is gone."""
        self.points.listen(listener, None)
        if self.microphone.release(listener) and any(
            self._knobs(one.device) == "page" for one in self.rig.inputs
        ):
            self.notify(
                "The browser's microphone is gone. Open it again, or choose another device.",
                "trouble",
            )

    @property
    def is_coughing(self) -> bool:
        """Whether anybody holds the cough key."""
        return bool(self._coughing)

    def cough(self, page: LivePage, is_on: bool) -> None:
        """A page holds the cough key, or lets go of it."""
        before = bool(self._coughing)
        (self._coughing.add if is_on else self._coughing.discard)(page)
        if bool(self._coughing) != before:
            self.engine.cough(bool(self._coughing))
            self.pages.tell_state()

    def watch_devices(self, page: LivePage, is_on: bool) -> None:
        """A page shows the levels of all devices, or no longer."""
        before = bool(self._watching)
        (self._watching.add if is_on else self._watching.discard)(page)
        if bool(self._watching) != before:
            self.engine.watch_devices(bool(self._watching))
            self.sound.watch(bool(self._watching))
            self._give_computer()

    def watch_balance(self, page: LivePage, is_on: bool) -> None:
        """A page shows the balance, or no longer."""
        (self._balancing.add if is_on else self._balancing.discard)(page)
        self._look()

    def look_at_watch(self, page: LivePage, is_on: bool) -> None:
        """A page shows what must be true before going on air, or no longer."""
        (self._before.add if is_on else self._before.discard)(page)
        self._look()
        self._be_ready_to_record()

    def look_at_record(self, page: LivePage, is_on: bool) -> None:
        """A page shows Record, or no longer."""
        (self._recording.add if is_on else self._recording.discard)(page)
        self._be_ready_to_record()

    def _be_ready_to_record(self) -> None:
        begins_with_it = bool(self._before) and self.desk.set.watch.records
        self.record.be_ready(bool(self._recording) or begins_with_it)

    def measure_delay(self) -> None:
        """Send a click through."""
        self.measuring.click_count += 1
        self.observer.changed()
        self.engine.click()

    def find_buffer(self, is_on: bool) -> None:
        """Start the search for the smallest buffer, or break it off."""
        (self.buffer_search.start if is_on else self.buffer_search.cancel)()
        self.pages.tell_state()

    def fault(self, device: str, fault: str, value: float | None) -> None:
        """Make something go wrong with a stand-in. Raises NotFound or BadInput."""
        figure = checked_fault(device, fault, value)
        self.measuring.fault_count += 1
        self.observer.changed()
        self.engine.fault(device, fault, figure)


def _is_held(rig: Rig, input_id: str) -> bool:
    one = rig.input(input_id)
    return one is not None and one.is_held

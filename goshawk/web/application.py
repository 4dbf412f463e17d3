"""Builds the services of the web process. Each gets the services it uses in its constructor, so it can use only those built before it.
Everything else that one service tells another is an event on the bus; ``web/events.py`` lists them."""

import asyncio
from pathlib import Path

from goshawk.bus import Bus
from goshawk.engine.client import EngineClient
from goshawk.engine.spawn import Spawned
from goshawk.observer.client import ObserverClient
from goshawk.store import (
    access_tokens,
    presets,
    recording_folders,
    rigs,
    sound_checks,
    sound_files,
)
from goshawk.store.database import Opened
from goshawk.store.work_folder import WorkFolder
from goshawk.supervisor import Supervisor
from goshawk.web.access import Access
from goshawk.web.balance_desk import BalanceDesk
from goshawk.web.broadcasts import Broadcasts
from goshawk.web.buffer_search import BufferSearch
from goshawk.web.changes import Changes
from goshawk.web.check_desk import CheckDesk
from goshawk.web.cough_key import CoughKey
from goshawk.web.device_control import DeviceControl
from goshawk.web.engine_news import EngineNews
from goshawk.web.evening_store import EveningStore
from goshawk.web.holds import Holds
from goshawk.web.kept_takes import KeptTakes
from goshawk.web.lamps import ReachLamps
from goshawk.web.lost_observer import LostObserver
from goshawk.web.microphone_claim import MicrophoneClaim
from goshawk.web.newest_figures import NewestFigures
from goshawk.web.notices import Notices
from goshawk.web.observer_document import ObserverDocument
from goshawk.web.other_programs import OtherPrograms
from goshawk.web.page_visits import PageVisits
from goshawk.web.pages import Pages
from goshawk.web.points import Points
from goshawk.web.preset_shelf import PresetShelf
from goshawk.web.record_desk import RecordDesk
from goshawk.web.recorded_broadcast import RecordedBroadcast
from goshawk.web.rig_desk import RigDesk
from goshawk.web.sound_desk import SoundDesk
from goshawk.web.sound_file_shelf import SoundFileShelf
from goshawk.web.store_in_turn import StoreInTurn
from goshawk.web.tuning_desk import TuningDesk
from goshawk.web.what_plays import WhatPlays
from goshawk.web.window_state import WindowState


class Application:
    """Owns the services from the start of the program to its end."""

    def __init__(
        self,
        data_dir: Path,
        opened: Opened,
        spawned: Spawned | None = None,
        recordings_dir: Path | None = None,
        *,
        engine_client: type[EngineClient] = EngineClient,
        observer_client: type[ObserverClient] = ObserverClient,
    ) -> None:
        """``spawned`` is an audio process that waits for its plan; one is started if there is none. ``recordings_dir`` is
        where recordings lie unless another folder is chosen; None: beside all else that is saved. The clients are others
        where there are no processes."""
        db = opened.connection
        saved = rigs.load_active_rig(db)
        bus = self.bus = Bus()
        notices = Notices(bus)
        store = self.store = StoreInTurn(db)
        supervisor = self.supervisor = Supervisor(notices.trouble)
        work = self.work = WorkFolder(data_dir / "work")
        work.clear()

        # The processes, and what is wanted of them.
        takes_folder = data_dir / "takes"
        takes = KeptTakes(store, sound_checks.list_takes(db), takes_folder)
        document = self.document = ObserverDocument(
            saved.rig, sound_checks.load_check(db), takes_folder, takes, work, bus
        )
        engine = self.engine = engine_client(saved.rig, bus, spawned)
        observer = self.observer = observer_client(engine.memory.name, document, takes, bus)
        figures = self.figures = NewestFigures(engine, bus)
        lamps = self.lamps = ReachLamps(bus)
        self.engine_news = EngineNews(engine, bus)
        points = self.points = Points(engine, document)

        # The rig: what is heard is given to the engine before anybody else is told.
        files = self.files = SoundFileShelf(
            store, sound_files.list_sound_files(db), data_dir / "sounds", engine, bus
        )
        sound = self.sound = SoundDesk(bus)
        plays = self.plays = WhatPlays(saved.rig, engine, bus)
        holds = Holds(engine, document, bus)
        desk = self.desk = RigDesk(store, saved, files, holds, bus, notices)
        changes = self.changes = Changes(desk, files, notices)
        preset_shelf = self.presets = PresetShelf(
            store, presets.list_presets(db), desk, changes, bus, notices
        )

        # What pages and programs ask for.
        access = self.access = Access(store, access_tokens.list_tokens(db), bus)
        cough_key = self.cough_key = CoughKey(engine, bus)
        devices = self.devices = DeviceControl(engine, sound, document, bus)
        buffer_search = self.buffer_search = BufferSearch(plays, supervisor, bus)
        self.microphone = MicrophoneClaim(engine, desk, notices)
        self.tuning = TuningDesk(
            desk, changes, preset_shelf, document, points, engine, supervisor, bus, notices
        )
        self.balance = BalanceDesk(desk, changes, observer, document, holds, notices)
        self.check = CheckDesk(desk, changes, observer, takes, document, work, notices)
        own_recordings = data_dir / "recordings"
        record = self.record = RecordDesk(
            store,
            recording_folders.list_folders(db),
            own_recordings,
            recordings_dir or own_recordings,
            desk,
            engine,
            observer,
            points,
            figures,
            work,
            supervisor,
            bus,
            notices,
        )
        broadcasts = self.broadcasts = Broadcasts(
            EveningStore(data_dir), desk, engine, record, document, bus, notices
        )
        self.on_air = RecordedBroadcast(broadcasts, record, desk, supervisor, notices)
        self.other_programs = OtherPrograms(
            broadcasts, desk, changes, record, figures, lamps, cough_key, bus
        )
        self.lost_observer = LostObserver(plays, desk, changes, supervisor, bus, notices)

        # Pages come last: what they show is made of all the others.
        state = self.state = WindowState(
            desk,
            engine,
            sound,
            files,
            plays,
            buffer_search,
            cough_key,
            preset_shelf,
            access,
            record,
        )
        pages = Pages(state, bus)
        self.visits = PageVisits(
            [text for text in (opened.notice, saved.notice) if text],
            pages,
            state,
            lamps,
            desk,
            record,
            broadcasts,
            devices,
            points,
            cough_key,
            engine,
            observer,
            document,
        )

    async def start(self) -> None:
        """Start the processes."""
        self.files.give(self.desk.set)
        self.sound.want(self.desk.set)
        self.sound.start()
        await self.engine.start()
        await self.on_air.open()
        self.observer.start()
        keep = self.supervisor.keep
        keep("saving again", self.desk.save_again)
        keep("passing the sound on", self.points.pass_on)
        keep("lighting the lamps", self.lamps.keep)
        keep("listing sound cards", self.sound.follow_cards)
        keep("looking after recordings", self.record.look_on)
        keep("keeping the evening", self.broadcasts.keep_on)
        keep("telling other programs", self.other_programs.tell_on)
        self.supervisor.once("mending recordings", self.record.mend_left())

    async def stop(self) -> None:
        """Stop the processes and close the databases."""
        self.buffer_search.cancel()
        self.access.end_all()
        self.other_programs.end()
        await self.record.close()
        await self.supervisor.close()
        await self.broadcasts.close()
        await asyncio.gather(self.observer.stop(), self.engine.stop())
        await self.sound.stop()
        self.work.clear()
        await self.store.close()

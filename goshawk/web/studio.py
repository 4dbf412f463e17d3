"""What is going on now: the active rig, the engine that plays it, and the pages that watch."""

import asyncio
import json
import secrets
import time
from collections import deque
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar

import numpy as np

from goshawk import __version__
from goshawk.core.dsp.compressor import static_curve_db
from goshawk.core.measure.monitor import Monitor
from goshawk.core.rig import Rig, changed
from goshawk.core.rules.balance import standings
from goshawk.core.rules.gain import gain_advice
from goshawk.core.rules.staging import staging_findings
from goshawk.devices.file import read_sound_file
from goshawk.engine.client import EngineClient
from goshawk.errors import BadSoundFile, NotFound
from goshawk.store import rigs, sound_files
from goshawk.store.database import Opened
from goshawk.store.sound_files import StoredSoundFile
from goshawk.units import SAMPLE_RATE_HZ
from goshawk.web.messages import (
    CURVE_INPUTS_DBFS,
    EngineHealth,
    History,
    Levels,
    Notice,
    State,
)

T = TypeVar("T")

LEVELS_EVERY_S = 0.1
WAITING_MESSAGES = 50
WAITING_SOUND = 25
"""A page that takes its sound slower than it is made loses the oldest quarter of a second."""


class LivePage:
    """One open page's queue: states and notices in order, readings only the newest."""

    def __init__(self) -> None:
        self._messages: asyncio.Queue[str] = asyncio.Queue(WAITING_MESSAGES)
        self._newest: dict[str, str] = {}
        self._wake = asyncio.Event()

    def tell(self, message: str) -> None:
        """A message that must arrive; a page that does not read for long loses the oldest."""
        if self._messages.full():
            self._messages.get_nowait()
        self._messages.put_nowait(message)
        self._wake.set()

    def tell_newest(self, kind: str, message: str) -> None:
        """A message that the next one of its kind replaces."""
        self._newest[kind] = message
        self._wake.set()

    async def next(self) -> str:
        """What to send next."""
        while True:
            if not self._messages.empty():
                return self._messages.get_nowait()
            if self._newest:
                return self._newest.pop(next(iter(self._newest)))
            self._wake.clear()
            await self._wake.wait()


class Listener:
    """One page that plays the sound, or gives its microphone."""

    def __init__(self) -> None:
        self.sound: asyncio.Queue[bytes] = asyncio.Queue(WAITING_SOUND)
        self.dropped = 0

    def hear(self, packet: bytes) -> None:
        """Queue a packet; the oldest is dropped for a slow page."""
        if self.sound.full():
            self.sound.get_nowait()
            self.dropped += 1
        self.sound.put_nowait(packet)


class Studio:
    """Owns the rig: every change goes through here, is heard, saved, and shown in all windows."""

    def __init__(self, data_dir: Path, opened: Opened) -> None:
        self._data_dir = data_dir
        self._db = opened.connection
        self._start_notice = opened.notice
        self._saved = rigs.load_active_rig(self._db)
        self._heard = self._saved.rig
        self._tried: Rig | None = None
        self._trying_page: LivePage | None = None
        self._files = sound_files.list_sound_files(self._db)
        self._changing = asyncio.Lock()
        self._monitor = Monitor()
        self._pages: set[LivePage] = set()
        self._listeners: set[Listener] = set()
        self._microphone_page: Listener | None = None
        self._levels: Levels | None = None
        self._levels_at = 0.0
        self._busy = (0.0, 0.0)
        self._late_counts: deque[int] = deque(maxlen=round(60 / LEVELS_EVERY_S))
        self._was_running = False
        self._played = ""
        self.engine = EngineClient(
            self._saved.rig, self._on_readings, self._on_sound, self._on_engine_trouble
        )

    async def start(self) -> None:
        """Start the engine."""
        self._give_file(self._saved.rig)
        await self.engine.start()

    async def stop(self) -> None:
        """Stop the engine and close the database."""
        await self.engine.stop()
        self._db.close()

    # --- state -----------------------------------------------------------------------------------

    @property
    def rig(self) -> Rig:
        """The rig that is heard now: the saved one, or one that is being tried."""
        return self._tried or self._saved.rig

    def state(self) -> State:
        """What every window shows."""
        return State(
            rig=self.rig,
            can_undo=self._saved.can_undo,
            can_redo=self._saved.can_redo,
            is_saved=self._tried is None,
            sound_files=self._files,
            is_engine_running=self.engine.is_running,
            curves={
                slot.id: static_curve_db(slot.settings, np.array(CURVE_INPUTS_DBFS, float))
                .round(2)
                .tolist()
                for slot in self.rig.chain
                if slot.stage == "compressor"
            },
            version=__version__,
        )

    @property
    def levels(self) -> Levels | None:
        """The newest figures; None until the engine plays."""
        return self._levels

    async def try_setting(self, page: LivePage, path: str, value: Any) -> None:
        """Hear a value without saving it, while a page drags. Raises BadSetting."""
        async with self._changing:
            self._tried = changed(self.rig, path, value)
            self._trying_page = page
            self._hear(self._tried)

    async def set_setting(self, path: str, value: Any, *, is_nudge: bool = False) -> State:
        """Change and save one setting. Raises BadSetting; then nothing has changed."""
        async with self._changing:
            try:
                rig = changed(self._saved.rig, path, value)
                self._check_file(rig)
                self._saved = await self._in_store(
                    lambda: rigs.save_change(self._db, rig, path, is_nudge=is_nudge)
                )
            finally:
                self._tried = None
                self._hear(self._saved.rig)
        return self.state()

    async def step(self, by: int) -> State:
        """Undo (-1) or redo (+1)."""
        async with self._changing:
            self._tried = None
            self._saved = await self._in_store(lambda: rigs.step(self._db, by))
            self._hear(self._saved.rig)
        return self.state()

    def _hear(self, rig: Rig) -> None:
        if rig.microphone != self._heard.microphone:
            self._monitor.forget()
        self._heard = rig
        self._give_file(rig)
        self.engine.apply(rig)
        self._tell_state()

    async def _in_store(self, work: Callable[[], T]) -> T:
        return await asyncio.get_running_loop().run_in_executor(None, work)

    # --- sound files -----------------------------------------------------------------------------

    def _samples(self, file_id: str) -> Path:
        return self._data_dir / "sounds" / f"{file_id}.npy"

    def _check_file(self, rig: Rig) -> None:
        wanted = rig.microphone.file_id
        if wanted and all(file.id != wanted for file in self._files):
            raise NotFound("That sound file is not there any more. Choose another.")

    def _give_file(self, rig: Rig) -> None:
        """Tell the engine which file to play, when that changes."""
        wanted = rig.microphone.file_id
        if wanted != self._played:
            self._played = wanted
            self.engine.play_file(self._samples(wanted) if wanted else None)

    def replay_file(self) -> None:
        """Play the chosen file from its beginning."""
        if self._played:
            self.engine.play_file(self._samples(self._played))

    async def add_file(self, uploaded: Path, name: str) -> StoredSoundFile:
        """Check a file, bring it to 48 kHz and keep it. Raises BadSoundFile."""
        file_id = secrets.token_hex(8)

        def prepare() -> StoredSoundFile:
            sound, rate_hz = read_sound_file(uploaded, name)
            target = self._samples(file_id)
            target.parent.mkdir(parents=True, exist_ok=True)
            np.save(target, sound)
            return StoredSoundFile(
                id=file_id,
                name=name,
                rate_hz=rate_hz,
                channels=sound.shape[1],
                duration_s=round(len(sound) / SAMPLE_RATE_HZ, 3),
            )

        try:
            # A long file takes seconds: settings can be changed meanwhile.
            file = await self._in_store(prepare)
        except OSError as error:
            raise BadSoundFile(
                f"{name} could not be kept ({error.strerror}). Make room on the disk and try again."
            ) from None
        async with self._changing:
            await self._in_store(lambda: sound_files.add_sound_file(self._db, file))
            self._files = sound_files.list_sound_files(self._db)
        self._tell_state()
        return file

    async def remove_file(self, file_id: str) -> None:
        """Forget a file. If it is playing, the stand-in takes its place. Raises NotFound."""
        if self._saved.rig.microphone.file_id == file_id:
            if self._saved.rig.microphone.source == "file":
                await self.set_setting("microphone.source", "attic")
                self.notify(
                    "The file that was playing was removed; the attic plays instead.", "news"
                )
            await self.set_setting("microphone.file_id", "")
        async with self._changing:
            await self._in_store(lambda: sound_files.remove_sound_file(self._db, file_id))
            self._samples(file_id).unlink(missing_ok=True)
            self._files = sound_files.list_sound_files(self._db)
        self._tell_state()

    # --- pages -----------------------------------------------------------------------------------

    def open_page(self) -> LivePage:
        """A page opens: it gets the state, what is to be known from the start, and ten seconds."""
        page = LivePage()
        self._pages.add(page)
        page.tell(self.state().model_dump_json())
        if self._start_notice:
            page.tell(Notice(level="trouble", text=self._start_notice).model_dump_json())
        if self._levels:
            page.tell(History(**self._monitor.history()).model_dump_json())
        return page

    def close_page(self, page: LivePage) -> None:
        """A page is gone. What it was trying is taken back: nobody would ever save it."""
        self._pages.discard(page)
        if page is self._trying_page and self._tried:
            self._tried = None
            self._hear(self._saved.rig)

    def notify(self, text: str, level: str) -> None:
        """Say a sentence in every window."""
        message = Notice(level="trouble" if level == "trouble" else "news", text=text)
        for page in self._pages:
            page.tell(message.model_dump_json())
        self._tell_state()

    def _tell_state(self) -> None:
        message = self.state().model_dump_json()
        for page in self._pages:
            page.tell(message)

    # --- sound -----------------------------------------------------------------------------------

    def listen(self, listener: Listener, is_on: bool) -> None:
        """A page wants the sound, or no longer."""
        (self._listeners.add if is_on else self._listeners.discard)(listener)
        self.engine.set_listeners(len(self._listeners))

    def claim_microphone(self, listener: Listener) -> None:
        """A page gives its microphone; the last to do so is heard."""
        if self._microphone_page not in (None, listener):
            self.notify("Another window's microphone is used now.", "news")
            self.engine.stop_microphone()
        self._microphone_page = listener

    def push_microphone(
        self, listener: Listener, rate_hz: int, channels: int, samples: bytes
    ) -> None:
        """Sound of a page's microphone; ignored if another page's is used."""
        if listener is self._microphone_page:
            self.engine.push_microphone(rate_hz, channels, samples)

    def release_microphone(self, listener: Listener) -> bool:
        """A page closes its microphone; False if it had given none."""
        if listener is not self._microphone_page:
            return False
        self._microphone_page = None
        self.engine.stop_microphone()
        return True

    def leave(self, listener: Listener) -> None:
        """A page's sound link is gone."""
        self.listen(listener, False)
        if self.release_microphone(listener) and self.rig.microphone.source == "browser":
            self.notify(
                "The browser's microphone is gone. Open it again, or choose another source.",
                "trouble",
            )

    def _on_engine_trouble(self, text: str) -> None:
        if not self.engine.is_running:
            # What is not measured any more must not be shown as if it were.
            self._levels = None
            self._was_running = False
            self._monitor = Monitor()
            self._late_counts.clear()
        self.notify(text, "trouble")

    def _on_sound(self, packet: bytes) -> None:
        for listener in self._listeners:
            listener.hear(packet)

    def _on_readings(self, readings: dict[str, Any]) -> None:
        self._monitor.push(readings)
        if not self._was_running:
            self._was_running = True
            self._tell_state()
        now = time.monotonic()
        if now - self._levels_at >= LEVELS_EVERY_S:
            self._levels_at = now
            self._levels = self._make_levels(readings, now)
            message = self._levels.model_dump_json()
            for page in self._pages:
                page.tell_newest("levels", message)
        live = self._live_json()
        for page in self._pages:
            page.tell_newest("readings", live)

    def _live_json(self) -> str:
        return json.dumps({"type": "readings", **self._monitor.live()}, separators=(",", ":"))

    def _make_levels(self, readings: dict[str, Any], now: float) -> Levels:
        engine = readings["engine"]
        busy_s, then = self._busy
        spent = engine["busy_s"] - busy_s
        self._busy = (engine["busy_s"], now)
        load = max(0.0, spent) / (now - then) * 100.0 if then else 0.0
        stations = self._monitor.stations()
        figures = self._monitor.figures()
        rig = self.rig
        late = engine["late_blocks"] + engine["missed_blocks"]
        self._late_counts.append(late)
        return Levels(
            **figures,
            stations={name: levels.rounded() for name, levels in stations.items()},
            standings=standings(figures["peaks_dbfs"], figures["clearance_db"], rig.targets),
            findings=staging_findings(stations, rig),
            gain=gain_advice(*self._monitor.microphone(), rig.microphone),
            microphone=readings["microphone"],
            engine=EngineHealth(
                load_percent=round(load, 1),
                late_blocks=engine["late_blocks"],
                missed_blocks=engine["missed_blocks"],
                late_in_last_minute=late - self._late_counts[0],
                block_frames=engine["block_frames"],
                is_realtime=engine["is_realtime"],
                restarts=self.engine.restarts,
            ),
        )

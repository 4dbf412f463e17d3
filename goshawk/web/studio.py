"""What is going on now: the active rig, the engine that plays it, and the pages that watch."""

import asyncio
import contextlib
import json
import secrets
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar

import numpy as np

from goshawk import __version__
from goshawk.core.chain_slots import Slot, StageName
from goshawk.core.dsp.compressor import static_curve_db
from goshawk.core.dsp.equaliser import Equaliser
from goshawk.core.dsp.high_pass import HighPass
from goshawk.core.dsp.matched import response_db
from goshawk.core.rig import (
    Rig,
    changed,
    changed_together,
    with_dismissal,
    with_input,
    with_input_moved,
    with_stage,
    with_stage_copied,
    with_stage_moved,
    without_input,
    without_stage,
)
from goshawk.core.rules.sentences import feed_sentence
from goshawk.core.stage import Floats
from goshawk.core.wiring import FEEDS, Role
from goshawk.devices.catalog import checked_fault
from goshawk.devices.file import read_sound_file
from goshawk.engine.client import EngineClient
from goshawk.errors import BadSetting, BadSoundFile, NotFound
from goshawk.store import rigs, sound_files
from goshawk.store.database import Opened
from goshawk.store.sound_files import StoredSoundFile
from goshawk.units import SAMPLE_RATE_HZ
from goshawk.web.buffer_search import BufferSearch
from goshawk.web.messages import CURVE_INPUTS_DBFS, CURVE_POINTS, History, Levels, Notice, State
from goshawk.web.observer import SLOW_EVERY_S, Observer
from goshawk.web.pages import Listener, LivePage

T = TypeVar("T")
_CURVE_FREQUENCIES_HZ = np.geomspace(20.0, 20_000.0, CURVE_POINTS)


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
        self.observer = Observer()
        self._pages: set[LivePage] = set()
        self._coughing: set[LivePage] = set()
        self._watching: set[LivePage] = set()
        self._listeners: set[Listener] = set()
        self._microphone_page: Listener | None = None
        self._was_running = False
        self._played = ""
        self._slow: asyncio.Task[None] | None = None
        self.buffer_search = BufferSearch(lambda: self._give_rig(self.rig), self._tell_state)
        self.engine = EngineClient(
            self._saved.rig, self._on_readings, self._on_sound, self._on_engine_trouble
        )

    async def start(self) -> None:
        """Start the engine."""
        self._give_file(self._saved.rig)
        await self.engine.start()
        self._slow = asyncio.create_task(self._listen_slowly())

    async def stop(self) -> None:
        """Stop the engine and close the database."""
        self.buffer_search.cancel()
        if self._slow:
            self._slow.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await self._slow
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
                slot.id: curve.round(2).tolist()
                for slot in self.rig.chain
                if (curve := _curve_of(slot)) is not None
            },
            sentences={feed: feed_sentence(self.rig, feed) for feed in FEEDS},
            buffer_search=self.buffer_search.state,
            is_coughing=bool(self._coughing),
            version=__version__,
        )

    @property
    def levels(self) -> Levels | None:
        """The newest figures; None until the engine plays."""
        return self.observer.levels

    async def try_together(self, page: LivePage, changes: dict[str, Any]) -> None:
        """Hear values without saving them, while a page drags. Raises BadSetting."""
        async with self._changing:
            self._tried = changed_together(self.rig, changes)
            self._trying_page = page
            self._hear(self._tried)

    async def set_setting(self, path: str, value: Any, *, is_nudge: bool = False) -> State:
        """Change and save one setting. Raises BadSetting; then nothing has changed."""
        return await self._change(lambda rig: changed(rig, path, value), path, is_nudge=is_nudge)

    async def set_together(self, changes: dict[str, Any]) -> State:
        """Change and save several settings as one step. Raises BadSetting; then nothing has changed."""
        return await self._change(
            lambda rig: changed_together(rig, changes), ",".join(changes)[:200]
        )

    async def add_input(self, role: Role) -> State:
        """One more input. Raises BadSetting if there are too many."""
        return await self._change(lambda rig: with_input(rig, role), "inputs")

    async def remove_input(self, input_id: str) -> State:
        """Take an input away. Raises BadSetting if it is not there."""
        gone = self._saved.rig.input(input_id)
        state = await self._change(lambda rig: without_input(rig, input_id), "inputs")
        if gone:
            self.notify(f"{gone.name} was removed. Undo brings it back.", "news")
        return state

    async def move_input(self, input_id: str, by: int) -> State:
        """Move an input in the list. Raises BadSetting if it is not there."""
        return await self._change(lambda rig: with_input_moved(rig, input_id, by), "inputs")

    async def add_stage(self, stage: StageName, after: str) -> State:
        """One more stage behind another. Raises BadSetting."""
        return await self._change(lambda rig: with_stage(rig, stage, after), "chain")

    async def copy_stage(self, stage_id: str) -> State:
        """A copy of a stage behind it. Raises BadSetting."""
        return await self._change(lambda rig: with_stage_copied(rig, stage_id), "chain")

    async def remove_stage(self, stage_id: str) -> State:
        """Take a stage away. Raises BadSetting."""
        return await self._change(lambda rig: without_stage(rig, stage_id), "chain")

    async def move_stage(self, stage_id: str, by: int) -> State:
        """Move a stage in the chain. Raises BadSetting."""
        return await self._change(lambda rig: with_stage_moved(rig, stage_id, by), "chain")

    async def dismiss(self, key: str) -> State:
        """Put a finding aside at its present badness. Raises BadSetting if it is gone."""
        found = (
            next((one for one in self.levels.findings if one.key == key), None)
            if self.levels
            else None
        )
        if found is None:
            raise BadSetting("That finding is gone already.", "dismissed")
        return await self._change(lambda rig: with_dismissal(rig, key, found.badness), "dismissed")

    async def show_all(self) -> State:
        """Forget which findings were put aside."""
        return await self._change(lambda rig: rig.model_copy(update={"dismissed": ()}), "dismissed")

    async def _change(
        self, make: Callable[[Rig], Rig], path: str, *, is_nudge: bool = False
    ) -> State:
        async with self._changing:
            try:
                rig = make(self._saved.rig)
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
        if _microphone_of(rig) != _microphone_of(self._heard):
            self.observer.forget_microphone()
        self._heard = rig
        self._give_file(rig)
        self._give_rig(rig)
        self._tell_state()

    def _give_rig(self, rig: Rig) -> None:
        """To the engine, with the buffer that is being tried, if one is."""
        trying = self.buffer_search.block_frames
        self.engine.apply(rig.model_copy(update={"block_frames": trying}) if trying else rig)

    async def _in_store(self, work: Callable[[], T]) -> T:
        return await asyncio.get_running_loop().run_in_executor(None, work)

    # --- sound files -----------------------------------------------------------------------------

    def _samples(self, file_id: str) -> Path:
        return self._data_dir / "sounds" / f"{file_id}.npy"

    def _check_file(self, rig: Rig) -> None:
        wanted = rig.devices.file.file_id
        if wanted and all(file.id != wanted for file in self._files):
            raise NotFound("That sound file is not there any more. Choose another.")

    def _give_file(self, rig: Rig) -> None:
        """Tell the engine which file to play, when that changes."""
        wanted = rig.devices.file.file_id
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
        """Forget a file; if it is playing, there is silence instead. Raises NotFound."""
        if self._saved.rig.devices.file.file_id == file_id:
            await self.set_setting("devices.file.file_id", "")
            if any(one.device == "file" for one in self._saved.rig.inputs):
                self.notify("The file that was playing was removed. Choose another.", "news")
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
        if self.levels:
            page.tell(History(**self.observer.monitor.history()).model_dump_json())
        return page

    def close_page(self, page: LivePage) -> None:
        """A page is gone. What it was trying is taken back: nobody would ever save it."""
        self._pages.discard(page)
        self.cough(page, False)
        self.watch_devices(page, False)
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

    def listen(self, listener: Listener, point: str | None) -> None:
        """A page wants the sound at a point (a feed, or ``input:`` and an id), or no longer (None)."""
        if point is None:
            self._listeners.discard(listener)
        else:
            listener.point = point
            self._listeners.add(listener)
        self.engine.set_points(sorted({one.point for one in self._listeners}))

    def cough(self, page: LivePage, is_on: bool) -> None:
        """A page holds the cough key, or lets go of it."""
        before = bool(self._coughing)
        (self._coughing.add if is_on else self._coughing.discard)(page)
        if bool(self._coughing) != before:
            self.engine.cough(bool(self._coughing))
            self._tell_state()

    def watch_devices(self, page: LivePage, is_on: bool) -> None:
        """A page shows the levels of all devices, or no longer."""
        before = bool(self._watching)
        (self._watching.add if is_on else self._watching.discard)(page)
        if bool(self._watching) != before:
            self.engine.watch_devices(bool(self._watching))

    def measure_delay(self) -> None:
        """Send a click through."""
        self.observer.measured_delay_ms = None
        self.engine.click()

    def find_buffer(self, is_on: bool) -> None:
        """Start the search for the smallest buffer, or break it off."""
        (self.buffer_search.start if is_on else self.buffer_search.cancel)()
        self._tell_state()

    def measure_gain(self, is_on: bool) -> None:
        """Start the guided minute, or break it off."""
        check = self.observer.gain_check
        (check.start if is_on else check.stop)()

    def fault(self, device: str, fault: str, value: float | None) -> None:
        """Make something go wrong with a stand-in. Raises NotFound or BadInput."""
        figure = checked_fault(device, fault, value)
        self.observer.notice_fault()
        self.engine.fault(device, fault, figure)

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
        self.listen(listener, None)
        if self.release_microphone(listener) and any(
            one.device == "browser" for one in self.rig.inputs
        ):
            self.notify(
                "The browser's microphone is gone. Open it again, or choose another device.",
                "trouble",
            )

    def _on_engine_trouble(self, text: str) -> None:
        if not self.engine.is_running:
            self.observer.forget_all()
            self._was_running = False
        self.notify(text, "trouble")

    def _on_sound(self, point: str, packet: bytes) -> None:
        for listener in self._listeners:
            if listener.point == point:
                listener.hear(packet)

    def _on_readings(self, readings: dict[str, Any]) -> None:
        is_due = self.observer.push(readings, self.rig)
        self.buffer_search.push(readings["engine"])
        if not self._was_running:
            self._was_running = True
            self._tell_state()
        if is_due:
            levels = self.observer.make_levels(readings, self.rig, self.engine.restarts)
            message = levels.model_dump_json()
            for page in self._pages:
                page.tell_newest("levels", message)
        live = json.dumps(
            {"type": "readings", **self.observer.monitor.live()}, separators=(",", ":")
        )
        for page in self._pages:
            page.tell_newest("readings", live)

    async def _listen_slowly(self) -> None:
        while True:
            await asyncio.sleep(SLOW_EVERY_S)
            if self.levels:
                await self.observer.listen_slowly(self.rig)


def _curve_of(slot: Slot) -> Floats | None:
    """What a stage does to a level or a frequency, as it is drawn; None if there is nothing to draw."""
    match slot.stage:
        case "compressor":
            return static_curve_db(slot.settings, np.array(CURVE_INPUTS_DBFS, float))
        case "high_pass":
            return response_db(HighPass.sections(slot.settings), _CURVE_FREQUENCIES_HZ)
        case "eq":
            return response_db(Equaliser.sections(slot.settings), _CURVE_FREQUENCIES_HZ)
    return None


def _microphone_of(rig: Rig) -> tuple[Any, ...]:
    """What the voice's level at the microphone depends on."""
    voice, knobs = rig.voice, rig.devices
    place = (voice.device, voice.channels) if voice else ()
    return (place, knobs.attic, knobs.file)

"""What is going on now: the active rig, the engine that plays it, and the pages that watch."""

import asyncio
import json
import time
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path
from typing import Any, TypeVar

import numpy as np

from goshawk import __version__
from goshawk.core.chain_slots import Chain, Slot, StageName
from goshawk.core.dsp.compressor import CompressorSettings, static_curve_db
from goshawk.core.dsp.equaliser import Equaliser, EqualiserSettings
from goshawk.core.dsp.high_pass import HighPass, HighPassSettings
from goshawk.core.dsp.matched import response_db
from goshawk.core.graph.comparison import Heard
from goshawk.core.graph.pick import picked
from goshawk.core.masking import ducker_changes, suggested_ducker
from goshawk.core.measure.levels import SPEECH
from goshawk.core.measure.room import RoomLearner
from goshawk.core.measure.take import TakeKind
from goshawk.core.rig import (
    Rig,
    changed,
    changed_together,
    with_chain,
    with_dismissal,
    with_input,
    with_input_moved,
    with_more_trim,
    with_stage,
    with_stage_copied,
    with_stage_moved,
    with_stages_of,
    without_input,
    without_stage,
)
from goshawk.core.rules.balance import LEAST_HEARD_S, moves, with_holds_let_go
from goshawk.core.rules.sentences import feed_sentence
from goshawk.core.rules.sound_check.since import drift_of
from goshawk.core.stage import Block
from goshawk.core.target_sets import CLEARANCES, TARGET_SETS, chosen_set
from goshawk.core.wiring import FEEDS, Role
from goshawk.devices.catalog import checked_fault
from goshawk.engine.client import EngineClient
from goshawk.engine.spawn import Spawned
from goshawk.errors import BadInput, BadSetting, GoshawkError, NotFound, StoreUnusable
from goshawk.store import rigs, sound_checks
from goshawk.store.database import Opened
from goshawk.store.sound_files import StoredSoundFile
from goshawk.web.balance import BalanceDesk, with_holds
from goshawk.web.buffer_search import BufferSearch
from goshawk.web.drift import Drift
from goshawk.web.looping import Looper
from goshawk.web.messages import (
    CURVE_INPUTS_DBFS,
    CURVE_POINTS,
    History,
    Levels,
    Notice,
    RoomTakeState,
    State,
)
from goshawk.web.observer import LEVELS_EVERY_S, SLOW_EVERY_S, Observer, levels_of
from goshawk.web.pages import Listener, LivePage
from goshawk.web.preset_shelf import PresetShelf
from goshawk.web.rig_desk import RigDesk
from goshawk.web.sound_check import SoundCheck
from goshawk.web.sound_file_shelf import SoundFileShelf
from goshawk.web.stage_sound import StageSpectra, band_stage, engine_point
from goshawk.web.supervisor import Supervisor, to_its_end
from goshawk.web.work_folder import WorkFolder

T = TypeVar("T")
_CURVE_FREQUENCIES_HZ = np.geomspace(20.0, 20_000.0, CURVE_POINTS)


class Studio:
    """Owns the rig: every change goes through here, is heard, saved, and shown in all windows."""

    def __init__(self, data_dir: Path, opened: Opened, spawned: Spawned | None = None) -> None:
        """``spawned`` is an audio process that waits for its plan; one is started if there is none."""
        self._db = opened.connection
        saved = rigs.load_active_rig(self._db)
        self._start_notices = [text for text in (opened.notice, saved.notice) if text]
        self.supervisor = Supervisor(lambda text: self.notify(text, "trouble"))
        self.work = WorkFolder(data_dir)
        self._storing = asyncio.Lock()
        self._is_closed = False
        self.desk = RigDesk(
            self._db,
            saved,
            self._in_store,
            self._adjusted,
            self._hear,
            self.notify,
            self._tell_state,
        )
        self._heard = saved.rig
        self.observer = Observer()
        self._pages: set[LivePage] = set()
        self._coughing: set[LivePage] = set()
        self._watching: set[LivePage] = set()
        self._listeners: set[Listener] = set()
        self._microphone_page: Listener | None = None
        self._was_running = False
        self._shown_stages: dict[LivePage, str] = {}
        self._shown_chains: dict[LivePage, str] = {}
        self._spectra: dict[str, StageSpectra] = {}
        self._room: tuple[str, RoomLearner] | None = None
        self._room_progress = 0.0
        self._room_frame: int | None = None
        self._newest: dict[str, Any] | None = None
        self._figures_due = asyncio.Event()
        self.presets = PresetShelf(
            self._db,
            lambda: self.desk.set,
            self._change,
            self._in_store,
            self.notify,
            self._tell_state,
        )
        self.files = SoundFileShelf(self._db, data_dir / "sounds", self._play_file, self._in_store)
        self.buffer_search = BufferSearch(
            lambda: self._give_rig(self.rig), self._tell_state, self.supervisor
        )
        self.looper = Looper(
            self.work.named,
            self._play_loop,
            self._compare,
            self._tell_state,
            self.notify,
            self.supervisor,
        )
        self.sound_check = SoundCheck(
            data_dir / "takes",
            self.work.named,
            sound_checks.list_takes(self._db),
            sound_checks.load_check(self._db),
            lambda take: self._in_store(lambda: sound_checks.save_take(self._db, take)),
            lambda kind: self._in_store(lambda: sound_checks.remove_take(self._db, kind)),
            self._tell_sound_check,
            lambda: self._give_rig(self.rig),
            lambda wish: wish.under(self.rig),
            self.supervisor,
        )
        self._drift = Drift()
        self._replayed: tuple[Path | None, list[str]] = (None, [])
        self.balance = BalanceDesk(
            lambda held_db: self.engine.hold(held_db),
            self._play_replay,
            self._tell_balance,
            self.work.named,
            self.supervisor,
        )
        self._balancing: set[LivePage] = set()
        self.engine = EngineClient(
            saved.rig,
            self._on_readings,
            self._on_sound,
            self._on_engine_trouble,
            lambda rows: self.balance.push_rows(rows, self.rig),
            spawned,
        )

    async def start(self) -> None:
        """Start the engine."""
        self.files.give(self.desk.set)
        await self.engine.start()
        keep = self.supervisor.keep
        keep("listening for echoes and hum", self._listen_slowly)
        keep("making the figures", self._make_figures)
        keep("saving again", self.desk.save_again)
        keep("looking on at the balance", self.balance.look_on)

    async def stop(self) -> None:
        """Stop the engine and close the database."""
        self.buffer_search.cancel()
        await self.supervisor.close()
        await self.sound_check.close()
        self.balance.close()
        await self.engine.stop()
        self.looper.close()
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
            can_redo=self.desk.saved.can_redo,
            is_saved=self.desk.is_saved,
            save_trouble=self.desk.trouble,
            sound_files=self.files.listed,
            is_engine_running=self.engine.is_running,
            curves={
                slot.id: curve
                for one in self.rig.inputs
                for slot in one.chain
                if (curve := _curve_of(slot)) is not None
            },
            sentences={feed: feed_sentence(self.rig, feed) for feed in FEEDS},
            buffer_search=self.buffer_search.state,
            is_coughing=bool(self._coughing),
            presets=self.presets.listed(),
            changed_presets=self.presets.changed(self.rig),
            loop=self.looper.state,
            target_sets=list(TARGET_SETS),
            target_set=chosen_set(self.rig),
            version=__version__,
        )

    @property
    def levels(self) -> Levels | None:
        """The newest figures; None until the engine plays."""
        return self.observer.levels

    async def try_together(self, page: LivePage, changes: dict[str, Any]) -> None:
        """Hear values without saving them, while a page drags. Raises BadSetting."""
        self.desk.try_together(page, changes)

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
        gone = self.desk.set.input(input_id)
        state = await self._change(lambda rig: without_input(rig, input_id), "inputs")
        if gone:
            self.notify(f"{gone.name} was removed. Undo brings it back.", "news")
        return state

    async def move_input(self, input_id: str, by: int) -> State:
        """Move an input in the list. Raises BadSetting if it is not there."""
        return await self._change(lambda rig: with_input_moved(rig, input_id, by), "inputs")

    async def add_stage(self, input_id: str, stage: StageName, after: str) -> State:
        """One more stage in an input's chain, behind another. Raises BadSetting."""
        return await self._change(lambda rig: with_stage(rig, input_id, stage, after), "chain")

    async def copy_stage(self, stage_id: str) -> State:
        """A copy of a stage behind it. Raises BadSetting."""
        return await self._change(lambda rig: with_stage_copied(rig, stage_id), "chain")

    async def remove_stage(self, stage_id: str) -> State:
        """Take a stage away. Raises BadSetting."""
        return await self._change(lambda rig: without_stage(rig, stage_id), "chain")

    async def move_stage(self, stage_id: str, by: int) -> State:
        """Move a stage in the chain. Raises BadSetting."""
        return await self._change(lambda rig: with_stage_moved(rig, stage_id, by), "chain")

    def _play_file(self, path: Path | None) -> None:
        self.engine.play_file(path)

    # --- the loop --------------------------------------------------------------------------------

    def _play_loop(self, path: Path | None) -> None:
        if path:
            self.balance.replay.stop()
        self.engine.loop(path)
        if path:
            self.looper.measure(self.desk.set)

    def _compare(self, heard: Heard, gain_db: float, other: Chain | None) -> None:
        self.engine.compare(heard, gain_db, other)

    def keep_other(self, preset_id: str) -> None:
        """Keep the present chain as chain B, or take a preset for it. Raises NotFound."""
        if preset_id:
            preset = self.presets.named(preset_id)
            self.looper.keep_other(preset.chain, preset.name)
        else:
            self.looper.keep_other(self.rig.chain, "the chain as it was kept")
        self.looper.measure(self.desk.set)

    async def swap_other(self) -> State:
        """Chain B becomes the chain, and the chain becomes B. Raises BadInput."""
        other, voice = self.looper.other, self.desk.set.voice
        if other is None or voice is None:
            raise BadInput("There is no chain B yet. Keep one first.")
        present = voice.chain
        await self._change(
            lambda rig: with_chain(rig, rig.chained, other, voice.preset_id), "chain"
        )
        self.looper.keep_other(present, "the chain as it was before")
        self.looper.measure(self.desk.set)
        return self.state()

    # --- the room --------------------------------------------------------------------------------

    def learn_room(self, stage_id: str) -> None:
        """Learn the room for a suppressor, or break it off (""). Raises BadSetting."""
        if stage_id:
            self._suppressor(stage_id)
        self._room = (stage_id, RoomLearner()) if stage_id else None
        self._room_progress, self._room_frame = 0.0, None
        self._set_points()

    async def forget_room(self, stage_id: str) -> State:
        """Forget what a suppressor has learned. Raises BadSetting."""
        self._suppressor(stage_id)
        return await self.set_setting(f"{self.rig.stage_path(stage_id)}.settings.room", None)

    def _suppressor(self, stage_id: str) -> None:
        found = self.rig.stage(stage_id)
        if found is None or found[1].stage != "suppressor":
            raise BadSetting("There is no such suppressor in any chain.", stage_id)

    def _hear_room(self, frame: int, sound: Block) -> None:
        if not self._room:
            return
        stage_id, learner = self._room
        if self._room_frame not in (None, frame):
            # A piece was lost: a room with a hole in it is not this room.
            learner = RoomLearner()
            self._room = (stage_id, learner)
        self._room_frame = frame + len(sound)
        take = learner.push(sound.mean(axis=1))
        self._room_progress = take.progress
        if take.progress < 1.0:
            return
        self.learn_room("")
        if take.room is None:
            self.notify(take.refusal, "trouble")
            return
        room = take.room.model_dump(mode="json")

        async def keep() -> None:
            try:
                path = self.desk.set.stage_path(stage_id)
                await self.set_setting(f"{path}.settings.room", room)
                self.notify("The room is learned. It is followed from now on.", "news")
            except GoshawkError as error:
                self.notify(str(error), "trouble")

        self.supervisor.once("keeping the room", keep())

    # --- the sound check --------------------------------------------------------------------------

    def start_take(self, kind: TakeKind) -> None:
        """Record a take of the sound check. Raises BadInput if there is no microphone in the chain."""
        self._make_ready_for_takes()
        self.sound_check.start(kind)

    def start_takes(self) -> None:
        """Record all takes that are needed. Raises BadInput if there is no microphone in the chain."""
        self._make_ready_for_takes()
        self.sound_check.start_round()

    def _make_ready_for_takes(self) -> None:
        if self.rig.voice is None:
            raise BadInput("There is no main voice. Choose your microphone in Wiring first.")
        if self.looper.state.is_on or self.looper.state.is_recording:
            self.looper.stop()
        self.balance.replay.stop()

    def _hear_take(self, readings: dict[str, Any]) -> None:
        if self.sound_check.performance and self.rig.voice:
            raw = picked(readings["raw"], self.rig.voice.channels)
            self.sound_check.push(raw, readings["raw_frame"])

    async def accept_check(self, stages: list[str] | None) -> State:
        """The suggested chain in place of the present one, or only some of its stages. Raises BadInput."""
        outcome = self.sound_check.outcome
        if outcome is None:
            raise BadInput("Nothing has been computed from these takes yet. Compute it first.")
        if stages is None:
            state = await self._change(
                lambda rig: with_chain(rig, rig.chained, outcome.chain, ""), "chain"
            )
        else:
            state = await self._change(
                lambda rig: with_stages_of(rig, outcome.chain, set(stages)), "chain"
            )
        figures = self.sound_check.figures
        kept = await self._in_store(lambda: sound_checks.keep_check(self._db, figures))
        self.sound_check.accepted(kept)
        self._drift.forget()
        return state

    async def make_up(self, gain_db: float) -> State:
        """Let the trim make up for a change of gain or distance. Raises BadSetting."""
        trim = next((slot for slot in self.desk.set.chain if slot.stage == "trim"), None)
        state = await self._change(lambda rig: with_more_trim(rig, gain_db), "chain.trim")
        figures = self.sound_check.figures
        kept = await self._in_store(lambda: sound_checks.keep_check(self._db, figures))
        self.sound_check.accepted(kept)
        self.notify(
            f"The trim {'goes' if trim else 'was added, and goes'} {gain_db:+.1f} dB. Undo takes it back.".replace(
                "-", "−"
            ),
            "news",
        )
        return state

    def _tell_sound_check(self) -> None:
        message = self.sound_check.state.model_dump_json()
        for page in self._pages:
            page.tell_newest("sound_check", message)

    def _watch_drift(self, levels: Levels) -> None:
        """Say once, when it lasts, that room or voice are not those of the check any more."""
        if self.sound_check.kept and not self.sound_check.performance:
            said = drift_of(self.sound_check.kept.figures, levels.stations["microphone"])
            sentence = self._drift.push(said)
            if sentence:
                self.notify(sentence, "news")

    # --- the balance ------------------------------------------------------------------------------

    async def bring_to_target(self, input_id: str) -> State:
        """Set the trim of one input, or of all (""), to what was measured. Raises BadInput if too little was."""
        rig, held_db = self.desk.set, self.balance.held_db
        if input_id and rig.input(input_id) is None:
            raise BadInput("That input is not there any more. Reload the page.")
        made = moves(self.balance.meter.heard(), with_holds(rig, held_db), input_id)
        changes: dict[str, Any] = {
            f"inputs.{one.input_id}.trim_db": one.trim_db for one in made if one.by_db is not None
        }
        sentence = "; ".join(one.text.removesuffix(".") for one in made)
        if not changes and made and not input_id:
            sentence = (
                "Nothing was moved: too little was heard in the last half minute. It takes "
                f"{LEAST_HEARD_S:.0f} s of your voice, and as much of each input"
            )
        if not changes:
            raise BadInput(
                f"{sentence or 'Viewers hear nothing that could be brought to a target'}."
            )
        # What a hold had added is in the trim now.
        self.balance.set_held(
            {name: db for name, db in held_db.items() if f"inputs.{name}.trim_db" not in changes}
        )
        state = await self._change(lambda rig: changed_together(rig, changes), "balance")
        self.notify(f"{sentence}. Undo takes it back.", "news")
        return state

    async def suggest_ducker(self, input_id: str) -> State:
        """Set an input's ducker from what was measured. Raises BadInput if too little was."""
        rig = self.desk.set
        one = rig.input(input_id)
        heard = self.balance.rows.heard()
        if one is None or one.id == rig.chained:
            raise BadInput("Only a background input dips under the voice.")
        if heard is None or (heard.activity == SPEECH).sum() < 100 * LEAST_HEARD_S:
            raise BadInput(
                f"Goshawk needs {LEAST_HEARD_S:.0f} seconds of your voice to set the dip. Talk a little first."
            )
        settings = await asyncio.to_thread(suggested_ducker, rig, heard, one)
        state = await self._change(
            lambda rig: changed_together(
                rig, ducker_changes(rig, rig.input(input_id) or one, settings)
            ),
            f"inputs.{input_id}.chain",
        )
        self.notify(
            f"{one.name} dips {settings.depth_db:g} dB while your voice is above "
            f"{settings.threshold_dbfs:g} dBFS, and comes back {settings.hold_ms:g} ms after your last word.".replace(
                "-", "−"
            ),
            "news",
        )
        return state

    async def choose_targets(self, set_id: str) -> State:
        """Take the clearances of a set. Raises NotFound."""
        chosen = next((one for one in TARGET_SETS if one.id == set_id), None)
        if chosen is None:
            raise NotFound("There is no such set of targets. Reload the page.")
        return await self._change(
            lambda rig: changed_together(
                rig,
                {f"targets.{name}": getattr(chosen.targets, name) for name in CLEARANCES},
            ),
            "targets",
        )

    async def start_replay(self, seconds: float) -> None:
        """Replay the last seconds of all inputs. Raises BadInput if there are too few."""
        if self.looper.state.is_on or self.looper.state.is_recording:
            self.looper.stop()
        await self.balance.replay.start(
            self.balance.rows.recorded(seconds, self.rig.chained), self.desk.set
        )

    def _play_replay(self, path: Path | None, names: list[str], gain_db: float) -> None:
        # The rig goes first: what was muted while the balance of then was heard is shut before the devices return.
        self._give_rig(self.rig)
        if (path, names) != self._replayed:
            self._replayed = (path, names)
            self.engine.replay(path, names)
            self.balance.forget()
        self.engine.replay_gain(gain_db)

    def watch_balance(self, page: LivePage, is_on: bool) -> None:
        """A page shows the balance, or no longer."""
        (self._balancing.add if is_on else self._balancing.discard)(page)
        self.balance.is_watched = bool(self._balancing)
        if is_on:
            self.balance.changed()

    def _tell_balance(self) -> None:
        if not self._pages:
            return  # Ten minutes of history are not written out for nobody.
        message = self.balance.state.model_dump_json()
        for page in self._pages:
            page.tell_newest("balance", message)

    # --- findings --------------------------------------------------------------------------------

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
        await self.desk.change(make, path, is_nudge=is_nudge)
        return self.state()

    def _adjusted(self, before: Rig, wished: Rig) -> Rig:
        """What is to be set of what is wished. Raises NotFound if a file is not there."""
        rig = with_holds_let_go(before, wished, self.balance.held_db)
        self.files.check(rig)
        return rig

    async def step(self, by: int) -> State:
        """Undo (-1) or redo (+1)."""
        await self.desk.step(by)
        return self.state()

    def _hear(self, rig: Rig) -> None:
        if _microphone_of(rig) != _microphone_of(self._heard):
            self.observer.forget_microphone()
            self.balance.forget()
        if _device_of(rig) != _device_of(self._heard):
            self.sound_check.cancel()
            self.looper.raw.forget()
            if self.looper.state.is_on or self.looper.state.is_recording:
                self.looper.stop()
        if not self.desk.is_trying:
            # Compared with what was measured, not with what a drag has already made heard.
            self.looper.follow(rig)
            self.balance.follow(rig)
        self._heard = rig
        self.files.give(rig)
        self._give_rig(rig)
        held_db = self.balance.held_db
        held = {one.id: held_db[one.id] for one in rig.inputs if one.is_held and one.id in held_db}
        if held != held_db:
            self.balance.set_held(held)
        self._tell_state()

    def _give_rig(self, rig: Rig) -> None:
        """To the engine, with the buffer that is being tried, if one is."""
        trying, performance = self.buffer_search.block_frames, self.sound_check.performance
        replay = self.balance.replay
        if replay.state.heard == "before" and replay.before:
            then = replay.before
            rig = rig.model_copy(
                update={"inputs": then.inputs, "feeds": then.feeds, "chained": then.chained}
            )
        if trying:
            rig = rig.model_copy(update={"block_frames": trying})
        if performance and rig.voice and rig.voice.device == "attic":
            # The stand-in gives what a take asks for; the rig keeps what the user set.
            attic = rig.devices.attic.model_copy(update={"performance": performance})
            rig = rig.model_copy(
                update={"devices": rig.devices.model_copy(update={"attic": attic})}
            )
        self.engine.apply(rig)

    async def _in_store(self, work: Callable[[], T]) -> T:
        """Beside everything else; one after the other, since all of it shares one connection; to its end, whoever has
        given up waiting. Raises StoreUnusable."""

        async def in_turn() -> T:
            async with self._storing:
                if self._is_closed:
                    raise StoreUnusable("Goshawk is just being closed. Start it again.")
                return await asyncio.to_thread(work)

        return await to_its_end(in_turn())

    async def add_file(self, uploaded: Path, name: str) -> StoredSoundFile:
        """Keep a sound file. Raises BadSoundFile."""
        # A long file takes seconds: settings can be changed meanwhile.
        file = await self.files.add(uploaded, name)
        self._tell_state()
        return file

    async def remove_file(self, file_id: str) -> None:
        """Forget a sound file; if it is playing, there is silence instead. Raises NotFound."""
        if self.desk.set.devices.file.file_id == file_id:
            await self.set_setting("devices.file.file_id", "")
            if any(one.device == "file" for one in self.desk.set.inputs):
                self.notify("The file that was playing was removed. Choose another.", "news")
        await self.files.remove(file_id)
        self._tell_state()

    # --- pages -----------------------------------------------------------------------------------

    def open_page(self) -> LivePage:
        """A page opens: it gets the state, what is to be known from the start, and ten seconds."""
        page = LivePage()
        self._pages.add(page)
        page.tell(self.state().model_dump_json())
        page.tell(self.sound_check.state.model_dump_json())
        page.tell(self.balance.state.model_dump_json())
        for text in self._start_notices:
            page.tell(Notice(level="trouble", text=text).model_dump_json())
        if self.levels:
            page.tell(History(**self.observer.monitor.history()).model_dump_json())
        return page

    def close_page(self, page: LivePage) -> None:
        """A page is gone. What it was trying is taken back: nobody would ever save it."""
        self._pages.discard(page)
        self.cough(page, False)
        self.watch_devices(page, False)
        self.watch_stage(page, "")
        self.watch_chain(page, "")
        self.watch_balance(page, False)
        self.desk.take_back(page)

    def notify(self, text: str, level: str) -> None:
        """Say a sentence in every window."""
        message = Notice(level="trouble" if level == "trouble" else "news", text=text)
        for page in self._pages:
            page.tell(message.model_dump_json())
        self._tell_state()

    def _tell_state(self) -> None:
        if not self._pages:
            return
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
        self._set_points()

    def _set_points(self) -> None:
        """Tell the engine where somebody listens, looks or learns."""
        points = {engine_point(one.point) for one in self._listeners}
        stages = {name for name in self._shown_stages.values() if name}
        points |= {f"{side}:{name}" for name in stages for side in ("before", "after")}
        if self._room:
            points.add(f"before:{self._room[0]}")
        self._spectra = {name: self._spectra.get(name) or StageSpectra() for name in stages}
        self.engine.set_points(sorted(points))

    def watch_stage(self, page: LivePage, stage_id: str) -> None:
        """A page shows a stage's spectra, or none ("")."""
        before = self._shown_stages.pop(page, "")
        if stage_id:
            self._shown_stages[page] = stage_id
        if stage_id != before:
            self._set_points()

    def watch_chain(self, page: LivePage, input_id: str) -> None:
        """A page shows an input's chain, or only the main voice's ("")."""
        self._shown_chains.pop(page, None)
        if input_id:
            self._shown_chains[page] = input_id

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
            self.balance.forget()
            self._newest = None
            self._was_running = False
        self.notify(text, "trouble")

    def _on_sound(self, point: str, frame: int, packet: bytes) -> None:
        for listener in self._listeners:
            if engine_point(listener.point) == point:
                listener.hear(self._alone(listener, packet))
        side, _, stage_id = point.partition(":")
        if side not in ("before", "after"):
            return
        sound = np.frombuffer(packet, np.float32).reshape(-1, 2)
        if side == "before" and self._room and self._room[0] == stage_id:
            self._hear_room(frame, sound)
        if stage_id in self._spectra:
            self._spectra[stage_id].push(side, sound)

    def _alone(self, listener: Listener, packet: bytes) -> bytes:
        """One band of an EQ alone, if that is what a page listens to."""
        found = self.rig.stage(band_stage(listener.point) or "")
        if found is None or found[1].stage != "eq":
            return packet
        return listener.band_alone(found[1].settings, packet)

    def _show_spectra(self) -> None:
        for page, stage_id in self._shown_stages.items():
            spectra = self._spectra.get(stage_id)
            if spectra:
                page.tell_newest("spectra", spectra.message(stage_id))

    def _on_readings(self, readings: dict[str, Any]) -> None:
        is_due = self.observer.push(readings, self.rig)
        is_due |= self.balance.push(readings, self.rig)
        if not readings["is_replaying"]:
            self.looper.push(readings["raw"], readings["raw_frame"])
        self._hear_take(readings)
        self.buffer_search.push(readings["engine"])
        if not self._was_running:
            self._was_running = True
            self._tell_state()
        self._newest = readings
        if is_due:
            self._figures_due.set()
        if not self._pages:
            return
        live = json.dumps(
            {"type": "readings", "plan": readings["plan"], **self.observer.monitor.live()},
            separators=(",", ":"),
        )
        for page in self._pages:
            page.tell_newest("readings", live)

    async def _make_figures(self) -> None:
        """For ever, beside the event loop: of the newest readings, and less often when time is short."""
        while True:
            await self._figures_due.wait()
            self._figures_due.clear()
            began = time.monotonic()
            await self.figure_once()
            took_s = time.monotonic() - began
            # At most half of the time goes into figures, however slow the machine is.
            await asyncio.sleep(max(took_s, LEVELS_EVERY_S - took_s))

    async def figure_once(self) -> None:
        """Make the figures of what was heard last, and show them."""
        readings, observer = self._newest, self.observer
        if readings is None:
            return
        take = self._room and RoomTakeState(
            stage_id=self._room[0], progress=round(self._room_progress, 2)
        )
        await self.balance.figure(self.rig)
        snapshot = observer.snapshot(
            readings,
            self.rig,
            self.engine.restarts,
            self.engine.lost_readings,
            take,
            self.sound_check.progress,
            self.balance.levels,
            frozenset(self._shown_chains.values()),
        )
        levels = await asyncio.to_thread(levels_of, snapshot)
        if self._newest is None:
            return  # The engine was lost meanwhile.
        observer.levels = levels
        self._watch_drift(levels)
        self._show_spectra()
        if not self._pages:
            return
        message = await asyncio.to_thread(levels.model_dump_json)
        for page in self._pages:
            page.tell_newest("levels", message)

    async def _listen_slowly(self) -> None:
        while True:
            await asyncio.sleep(SLOW_EVERY_S)
            if self.levels:
                await self.observer.listen_slowly(self.rig)


def _curve_of(slot: Slot) -> list[float] | None:
    """What a stage does to a level or a frequency, as it is drawn; None if there is nothing to draw."""
    if slot.stage not in ("compressor", "high_pass", "eq"):
        return None
    return _drawn(slot.settings)


@lru_cache(128)
def _drawn(settings: CompressorSettings | HighPassSettings | EqualiserSettings) -> list[float]:
    match settings:
        case CompressorSettings():
            curve = static_curve_db(settings, np.array(CURVE_INPUTS_DBFS, float))
        case HighPassSettings():
            curve = response_db(HighPass.sections(settings), _CURVE_FREQUENCIES_HZ)
        case EqualiserSettings():
            curve = response_db(Equaliser.sections(settings), _CURVE_FREQUENCIES_HZ)
    rounded: list[float] = curve.round(2).tolist()
    return rounded


def _device_of(rig: Rig) -> tuple[str, ...]:
    return (rig.voice.device, rig.voice.channels) if rig.voice else ()


def _microphone_of(rig: Rig) -> tuple[Any, ...]:
    """What the voice's level at the microphone depends on."""
    voice, knobs = rig.voice, rig.devices
    place = (voice.device, voice.channels) if voice else ()
    return (place, knobs.attic, knobs.file)

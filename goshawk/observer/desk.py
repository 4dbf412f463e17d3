"""Everything that the observer does, without the process around it: it takes in sound and readings, does what is asked,
and says what it finds."""

import asyncio
import json
import time
from collections.abc import Awaitable, Callable
from pathlib import Path
from typing import Any, get_args

from pydantic import TypeAdapter

from goshawk.core.chain_slots import Chain
from goshawk.core.dsp.suppressor import LearnedRoom
from goshawk.core.graph.comparison import Heard
from goshawk.core.graph.pick import picked
from goshawk.core.graph.stations import RAW, at_stage, kept_sounds
from goshawk.core.masking.ducking import suggested_ducker
from goshawk.core.measure.levels import SPEECH
from goshawk.core.measure.take import TakeFigures, TakeKind
from goshawk.core.observed.row_keeper import RowKeeper
from goshawk.core.rig import Rig
from goshawk.core.rules.balance import LEAST_HEARD_S, moves
from goshawk.core.rules.sound_check.advice import Wish as CheckWish
from goshawk.core.rules.sound_check.since import drift_of
from goshawk.core.routing import FEEDS
from goshawk.errors import BadInput, GoshawkError
from goshawk.observer import wishes
from goshawk.observer.balance import BalanceDesk, with_holds
from goshawk.observer.drift import Drift
from goshawk.observer.figures import (
    LEVELS_EVERY_S,
    SLOW_EVERY_S,
    Figures,
    compared_sounds,
    levels_of,
)
from goshawk.observer.looping import Looper
from goshawk.observer.replay import Replay
from goshawk.observer.room_taker import RoomTaker
from goshawk.observer.sound_check import SoundCheck
from goshawk.observer.stage_spectra import StageSpectra
from goshawk.page_messages.live import History, Levels
from goshawk.store.sound_checks import KeptCheck, StoredTake
from goshawk.store.work_folder import WorkFolder
from goshawk.supervisor import Supervisor
from goshawk.timeline.memory import Memory
from goshawk.timeline.readings import Readings, ReadingsReader
from goshawk.timeline.sound import SoundReader

TICK_S = 0.03
TAKEN_AT_ONCE = 16
"""One turn of the event loop takes so many readings at most."""

_takes = TypeAdapter(dict[TakeKind, StoredTake])
_chain: TypeAdapter[Chain] = TypeAdapter(Chain)
_figures = TypeAdapter(dict[TakeKind, TakeFigures])


class Desk:
    """Owns what is measured and what is under way. ``say`` sends to the web process, ``ask`` has it save something and
    raises what it says."""

    def __init__(
        self,
        memory: Memory,
        begin: wishes.Begin,
        say: Callable[[wishes.FromObserver], None],
        ask: Callable[[wishes.ToSave], Awaitable[Any]],
        place: int | None = None,
    ) -> None:
        """``place`` is where it says how far it is, for a hurried clock."""
        self._memory, self._say, self._ask = memory, say, ask
        self._reader = ReadingsReader(memory, place)
        self._sounds: dict[str, SoundReader] = {}
        self._past_losses = 0
        self.supervisor = Supervisor(lambda text: self.notify(text, "trouble"))
        self.rig = self.rig_set = Rig.model_validate_json(begin.rig)
        self.is_trying = False
        self.shown = wishes.Shown([], [], False, False)
        self.rows = RowKeeper()
        self.figures = Figures(self.rows.raw)
        self.newest: Readings | None = None
        self._heard_frame = 0
        self._figures_due = asyncio.Event()
        self._spectra: dict[str, StageSpectra] = {}
        self._drift = Drift()
        self._replayed: tuple[Path | None, list[str]] = (None, [])
        folder = WorkFolder(Path(begin.work_folder))
        self.looper = Looper(
            self.rows.raw,
            folder.named,
            self._play_loop,
            self._compare,
            self._tell_under_way,
            self.notify,
            self.supervisor,
        )
        self.replay = Replay(self._play_replay, self._tell_balance, folder.named, self.supervisor)
        self.balance = BalanceDesk(self.rows, self.replay, self._hold, self._tell_balance)
        self.room = RoomTaker(
            self._keep_room, lambda text: self.notify(text, "trouble"), self._tell_under_way
        )
        self.sound_check = SoundCheck(
            Path(begin.takes_folder),
            folder.named,
            _takes.validate_json(begin.takes),
            KeptCheck.model_validate_json(begin.kept) if begin.kept else None,
            lambda take: self._ask(wishes.SaveTake(take.model_dump_json().encode())),
            lambda kind: self._ask(wishes.ForgetTake(kind)),
            self._tell_sound_check,
            self._tell_under_way,
            lambda wish: wish.under(self.rig),
            self.supervisor,
        )
        self._handlers: dict[type, Callable[[Any], Any]] = {
            wishes.LoopLast: self._loop_last,
            wishes.LoopNew: lambda wish: self.looper.record(wish.seconds),
            wishes.LoopStop: lambda wish: self.looper.stop(),
            wishes.LoopHear: lambda wish: self.looper.hear(_one_of(Heard, wish.heard)),
            wishes.KeepOther: self._keep_other,
            wishes.Other: lambda wish: self.looper.other and _chain.dump_json(self.looper.other),
            wishes.LearnRoom: lambda wish: self.room.start(wish.stage_id),
            wishes.StartTake: self._start_take,
            wishes.CancelTake: lambda wish: self.sound_check.cancel(),
            wishes.GiveTake: lambda wish: self.sound_check.give(
                wish.kind, Path(wish.path), wish.name
            ),
            wishes.RemoveTake: lambda wish: self.sound_check.remove(wish.kind),
            wishes.RunCheck: lambda wish: self.sound_check.run(
                CheckWish.model_validate_json(wish.wish)
            ),
            wishes.StopCheck: lambda wish: self.sound_check.stop_run(),
            wishes.Outcome: self._outcome,
            wishes.Accepted: self._accepted,
            wishes.CheckState: lambda wish: self.sound_check.state.model_dump_json(),
            wishes.ReplayLast: self._replay_last,
            wishes.ReplayStop: lambda wish: self.replay.stop(),
            wishes.ReplayHear: lambda wish: self.replay.hear(
                "before" if wish.heard == "before" else "now"
            ),
            wishes.ToTarget: self._to_target,
            wishes.SuggestDucker: self._suggest_ducker,
            wishes.CountAnew: lambda wish: self.balance.meter.forget_whole(),
            wishes.LetGo: self._let_go,
            wishes.MeasureGain: self._measure_gain,
            wishes.NoticeFault: lambda wish: self.figures.notice_fault(),
            wishes.MeasureDelay: lambda wish: self.figures.forget_delay(),
            wishes.Badness: self._badness,
            wishes.Opening: lambda wish: self._opening(),
            wishes.CatchUp: self._catch_up,
        }

    def start(self) -> None:
        """Begin all work that goes on for ever."""
        self._tell_under_way()
        keep = self.supervisor.keep
        keep("taking in the sound", self._listen)
        keep("making the figures", self._make_figures)
        keep("listening for echoes and hum", self._listen_slowly)
        keep("looking on at the balance", self.balance.look_on)

    async def close(self) -> None:
        """End all work."""
        await self.supervisor.close()
        await self.sound_check.close()
        self.replay.close()
        self.looper.close()

    # --- what the web process says ----------------------------------------------------------------

    def follow(self, said: wishes.Follow) -> None:
        """Another rig is heard, or set."""
        before = self.rig
        self.rig = Rig.model_validate_json(said.rig)
        self.is_trying = said.rig_set is not None
        self.rig_set = Rig.model_validate_json(said.rig_set) if said.rig_set else self.rig
        if _microphone_of(self.rig) != _microphone_of(before):
            self.figures.forget_microphone()
            self.balance.forget()
        if _device_of(self.rig) != _device_of(before):
            self.sound_check.cancel()
            self.rows.raw.forget()
            if self.looper.state.is_on or self.looper.state.is_recording:
                self.looper.stop()
        if not self.is_trying:
            # Compared with what was measured, not with what a drag has already made heard.
            self.looper.follow(self.rig)
            self.balance.follow(self.rig)
        held_db = self.balance.held_db
        held = {
            one.id: held_db[one.id] for one in self.rig.inputs if one.is_held and one.id in held_db
        }
        if held != held_db:
            self.balance.set_held(held)

    def look_at(self, shown: wishes.Shown) -> None:
        """Pages look at other things."""
        was_balance, self.shown = self.shown.is_balance, shown
        self._spectra = {
            name: self._spectra.get(name) or StageSpectra(name) for name in shown.stages
        }
        self.balance.is_watched = shown.is_balance
        if shown.is_balance and not was_balance:
            self.balance.changed()

    async def do(self, wish: wishes.Wish) -> Any:
        """Do what is asked for. Raises GoshawkError."""
        value = self._handlers[type(wish)](wish)
        return await value if asyncio.iscoroutine(value) else value

    # --- what is under way ------------------------------------------------------------------------

    async def _loop_last(self, wish: wishes.LoopLast) -> None:
        await self.looper.start(wish.seconds)

    def _play_loop(self, path: Path | None) -> None:
        if path:
            self.replay.stop()
        self._say(wishes.PlayLoop(str(path) if path else None))
        if path:
            self.looper.measure(self.rig_set)

    def _compare(self, heard: Heard, gain_db: float, other: Chain | None) -> None:
        self._say(
            wishes.Compare(heard, gain_db, None if other is None else _chain.dump_json(other))
        )

    def _keep_other(self, wish: wishes.KeepOther) -> None:
        self.looper.keep_other(_chain.validate_json(wish.chain), wish.name)
        self.looper.measure(self.rig_set)

    async def _replay_last(self, wish: wishes.ReplayLast) -> None:
        if self.looper.state.is_on or self.looper.state.is_recording:
            self.looper.stop()
        await self.replay.start(self.rows.recorded(self.rig_set, wish.seconds), self.rig_set)

    def _play_replay(self, path: Path | None, names: list[str], gain_db: float) -> None:
        before = self.replay.before if self.replay.state.heard == "before" else None
        self._say(
            wishes.PlayReplay(
                str(path) if path else None,
                names,
                gain_db,
                before.model_dump_json().encode() if before else None,
            )
        )
        if (path, names) != self._replayed:
            self._replayed = (path, names)
            self.balance.forget()

    def _hold(self, held_db: dict[str, float]) -> None:
        self._say(wishes.Hold(held_db))

    def _keep_room(self, stage_id: str, room: LearnedRoom) -> None:
        async def keep() -> None:
            try:
                await self._ask(wishes.KeepRoom(stage_id, room.model_dump_json().encode()))
                self.notify("The room is learned. It is followed from now on.", "news")
            except GoshawkError as error:
                self.notify(str(error), "trouble")

        self.supervisor.once("keeping the room", keep())

    def _start_take(self, wish: wishes.StartTake) -> None:
        if self.rig.voice is None:
            raise BadInput("There is no main voice. Choose your microphone in Wiring first.")
        if self.looper.state.is_on or self.looper.state.is_recording:
            self.looper.stop()
        self.replay.stop()
        if wish.kind:
            self.sound_check.start(_one_of(TakeKind, wish.kind))
        else:
            self.sound_check.start_round()

    def _outcome(self, wish: wishes.Outcome) -> list[bytes]:
        outcome = self.sound_check.outcome
        chain = outcome.chain if outcome else ()
        return [_chain.dump_json(chain), _figures.dump_json(self.sound_check.figures)]

    def _accepted(self, wish: wishes.Accepted) -> None:
        self.sound_check.accepted(KeptCheck.model_validate_json(wish.kept))
        self._drift.forget()

    def _to_target(self, wish: wishes.ToTarget) -> list[Any]:
        rig, held_db = self.rig_set, self.balance.held_db
        made = moves(self.balance.meter.heard(), with_holds(rig, held_db), wish.input_id)
        changes = {
            f"inputs.{one.input_id}.trim_db": one.trim_db for one in made if one.by_db is not None
        }
        sentence = "; ".join(one.text.removesuffix(".") for one in made)
        if not changes and made and not wish.input_id:
            sentence = (
                "Nothing was moved: too little was heard in the last half minute. It takes "
                f"{LEAST_HEARD_S:.0f} s of your voice, and as much of each input"
            )
        if not changes:
            raise BadInput(
                f"{sentence or 'Viewers hear nothing that could be brought to a target'}."
            )
        return [changes, sentence]

    def _let_go(self, wish: wishes.LetGo) -> None:
        held_db = self.balance.held_db
        self.balance.set_held({name: db for name, db in held_db.items() if name not in wish.inputs})

    async def _suggest_ducker(self, wish: wishes.SuggestDucker) -> bytes:
        rig = self.rig_set
        one = rig.input(wish.input_id)
        if one is None or one.id == rig.chained:
            raise BadInput("Only a background input dips under the voice.")
        heard = self.rows.heard(rig)
        if heard is None or (heard.activity == SPEECH).sum() < 100 * LEAST_HEARD_S:
            raise BadInput(
                f"Goshawk needs {LEAST_HEARD_S:.0f} seconds of your voice to set the dip. Talk a little first."
            )
        settings = await asyncio.to_thread(suggested_ducker, rig, heard, one)
        packed: bytes = settings.model_dump_json().encode()
        return packed

    def _measure_gain(self, wish: wishes.MeasureGain) -> None:
        check = self.figures.gain_check
        (check.start if wish.is_on else check.stop)()

    def _badness(self, wish: wishes.Badness) -> float | None:
        findings = self.figures.levels.findings if self.figures.levels else []
        return next((one.badness for one in findings if one.key == wish.key), None)

    def _opening(self) -> list[str]:
        texts = [self.sound_check.state.model_dump_json(), self.balance.state.model_dump_json()]
        if self.figures.levels:
            texts.append(History(**self.figures.monitor.history()).model_dump_json())
        return texts

    # --- what pages see ---------------------------------------------------------------------------

    def notify(self, text: str, level: str) -> None:
        """Say a sentence in every window."""
        self._say(wishes.Notify(text, level))

    def _show(self, kind: str, text: str) -> None:
        if self.shown.has_pages:
            self._say(wishes.ToPages(text, kind))

    def _tell_under_way(self) -> None:
        self._say(
            wishes.UnderWay(
                self.looper.state.model_dump_json().encode(),
                self.sound_check.performance,
                self.room.stage_id,
            )
        )

    def _tell_sound_check(self) -> None:
        self._show("sound_check", self.sound_check.state.model_dump_json())

    def _tell_balance(self) -> None:
        if self.shown.has_pages:  # Ten minutes of history are not written out for nobody.
            self._show("balance", self.balance.state.model_dump_json())

    # --- sound and readings -----------------------------------------------------------------------

    async def _listen(self) -> None:
        while True:
            # Behind, it goes on at once, but lets everything else have its turn.
            is_behind = self.take_in() >= TAKEN_AT_ONCE // 2
            await asyncio.sleep(0.0 if is_behind else TICK_S)

    def take_in(self) -> int:
        """Take what is new: sounds, then readings; returns how many readings there were."""
        self.rows.follow(self.rig)
        self._hear_sounds()
        found = self._reader.read(TAKEN_AT_ONCE)
        for readings in found:
            self._take(readings)
            if self.shown.has_pages:
                self._show_live(readings.plan)
        return len(found)

    def _hear_sounds(self) -> None:
        kept, compared = set(kept_sounds(self.rig)), set(compared_sounds(self.rig).values())
        room = at_stage("before", self.room.stage_id) if self.room.stage_id else ""
        looked_at = {name: one for one in self._spectra.values() for name in one.sounds}
        wanted = kept | compared | set(looked_at) | ({room} if room else set())
        for name in [name for name in self._sounds if name not in wanted]:
            self._past_losses += self._sounds.pop(name).losses
        for name in wanted:
            if name not in self._sounds:
                self._sounds[name] = SoundReader(self._memory, name)
            for piece in self._sounds[name].read():
                if name in kept:
                    self._keep(name, piece.frame, piece.samples)
                if name in compared:
                    # What comes in counts from when it came, what goes out from when it goes.
                    when = piece.at if name in FEEDS else piece.frame
                    self.figures.hear(name, when, piece.samples)
                if name in looked_at:
                    looked_at[name].push(name, piece.samples)
                if name == room and self.room.stage_id:
                    self.room.push(piece.frame, piece.samples)

    def _keep(self, name: str, frame: int, samples: Any) -> None:
        if name == RAW and (self.newest is None or not self.newest.is_replaying):
            self.looper.push(frame, samples)
            if self.sound_check.performance and self.rig.voice:
                self.sound_check.push(frame, picked(samples, self.rig.voice.channels))
        self.rows.push(name, frame, samples)

    def _take(self, readings: Readings) -> None:
        if self.newest and self.newest.session != readings.session:
            self.figures.forget_all()
            self.balance.forget()
        elif self.newest and self.newest.is_replaying and not readings.is_replaying:
            self.balance.forget()  # What was kept since is the replay's tail.
        self.newest = readings
        self._heard_frame = readings.end_frame
        self.rows.push_activity(readings.first_hop, readings.activity)
        is_due = self.figures.push(readings, self.rig)
        is_due |= self.balance.push(readings, self.rig)
        if is_due:
            self._figures_due.set()

    def _show_live(self, plan: int) -> None:
        live = {"type": "readings", "plan": plan, **self.figures.monitor.live()}
        self._show("readings", json.dumps(live, separators=(",", ":")))

    @property
    def lost(self) -> int:
        """How many readings and pieces of sound were never taken in."""
        now = sum(one.losses for one in self._sounds.values())
        return self._reader.lost + self._past_losses + now

    async def _make_figures(self) -> None:
        """For ever: of the newest readings, and less often when time is short."""
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
        for spectra in self._spectra.values():
            self._show("spectra", spectra.message())
        readings, figures = self.newest, self.figures
        if readings is None:
            return
        await self.balance.figure(self.rig)
        snapshot = figures.snapshot(
            readings,
            self.rig,
            self.lost,
            self.room.state,
            self.sound_check.progress,
            self.balance.levels,
            frozenset(self.shown.chains),
        )
        levels = await asyncio.to_thread(levels_of, snapshot)
        if self.newest is None or self.newest.session != readings.session:
            return  # The audio process was lost meanwhile.
        figures.levels = levels
        self._watch_drift(levels)
        text = await asyncio.to_thread(levels.model_dump_json)
        self._say(wishes.ToPages(text, "levels"))

    def _watch_drift(self, levels: Levels) -> None:
        """Say once, when it lasts, that room or voice are not those of the check any more."""
        if self.sound_check.kept and not self.sound_check.performance:
            said = drift_of(self.sound_check.kept.figures, levels.stations["microphone"])
            sentence = self._drift.push(said)
            if sentence:
                self.notify(sentence, "news")

    async def _listen_slowly(self) -> None:
        while True:
            await asyncio.sleep(SLOW_EVERY_S)
            if self.figures.levels:
                await self.figures.listen_slowly(self.rig)

    async def _catch_up(self, wish: wishes.CatchUp) -> None:
        while self._heard_frame < wish.frame:
            await asyncio.sleep(TICK_S / 2)
        await self.figure_once()


def _one_of(literal: Any, value: str) -> Any:
    if value not in get_args(literal):
        raise BadInput("That was not understood. Reload the page.")
    return value


def _device_of(rig: Rig) -> tuple[str, ...]:
    return (rig.voice.device, rig.voice.channels) if rig.voice else ()


def _microphone_of(rig: Rig) -> tuple[Any, ...]:
    """What the voice's level at the microphone depends on."""
    voice, knobs = rig.voice, rig.devices
    place = (voice.device, voice.channels) if voice else ()
    return (place, knobs.attic, knobs.file)

"""Everything that the observer does, without the process around it: it takes in sound and readings, does what is asked,
and says what it finds."""

import asyncio
import json
import time
from collections.abc import Awaitable, Callable
from pathlib import Path
from typing import Any

from pydantic import TypeAdapter

from goshawk.core.chain_slots import Chain
from goshawk.core.computer import Computer
from goshawk.core.graph.comparison import Heard
from goshawk.core.graph.pick import picked
from goshawk.core.graph.stations import RAW, at_stage, kept_sounds
from goshawk.core.measure.take import TakeFigures, TakeKind
from goshawk.core.observed.row_keeper import RowKeeper
from goshawk.core.rig import Rig, changed_together, with_shared
from goshawk.core.routing import FEEDS
from goshawk.core.rules.sound_check.since import drift_of
from goshawk.observer import requests
from goshawk.observer.balance import BalanceMeasuring
from goshawk.observer.drift import Drift
from goshawk.observer.figures import (
    LEVELS_EVERY_S,
    LEVELS_UNSEEN_EVERY_S,
    SLOW_EVERY_S,
    SLOW_UNSEEN_EVERY_S,
    LiveFigures,
    compared_sounds,
    levels_of,
)
from goshawk.observer.last_minutes import LastMinutes
from goshawk.observer.looping import Looper
from goshawk.observer.replay import Replay
from goshawk.observer.request_handlers import RequestHandlers
from goshawk.observer.room_taker import RoomTaker
from goshawk.observer.sound_check import SoundCheck
from goshawk.observer.stage_spectra import StageSpectra
from goshawk.observer.wanted import Begin, ObserverWanted, Resumed, Shown
from goshawk.observer.watching import Watching
from goshawk.page_messages.live import Levels
from goshawk.store.sound_checks import KeptCheck, StoredTake
from goshawk.store.work_folder import WorkFolder
from goshawk.supervisor import Supervisor
from goshawk.timeline.memory import Memory
from goshawk.timeline.readings import EngineReadings, ReadingsReader
from goshawk.timeline.sound import SoundReader
from goshawk.units import SAMPLE_RATE_HZ

TICK_S = 0.03
TICK_BEHIND_S = 0.001
TICK_UNSEEN_S = 0.12
"""Without a page nothing has to be taken in at picture rate; the shared memory holds ten times as much."""

BEFORE_EVERY_S = 0.7
SPECTRA_EVERY_S = 0.09
ALIVE_EVERY_S = 0.5
FIGURES_TAKE_S = 4.0
"""Figures that are not made in so long hang, or the system lets us wait."""

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
        begin: Begin,
        say: Callable[[requests.FromObserver], None],
        ask: Callable[[requests.ToSave], Awaitable[Any]],
        place: int | None = None,
    ) -> None:
        """``begin`` holds the first document of what is wanted. ``place`` is where it says how far it is, for a hurried clock."""
        self._memory, self._say, self._ask = memory, say, ask
        self._reader = ReadingsReader(memory, place)
        self._sounds: dict[str, SoundReader] = {}
        self._past_losses = 0
        self.supervisor = Supervisor(lambda text: self.notify(text, "trouble"))
        wanted = self.wanted = begin.wanted
        self.rig_set = Rig.model_validate_json(wanted.rig)
        self.rig = _tried(self.rig_set, wanted)
        self.shown = Shown()
        self.rows = RowKeeper()
        self.figures = LiveFigures(self.rows)
        self.newest: EngineReadings | None = None
        self.heard_frame = 0
        self._figures_due = asyncio.Event()
        self._every_s = LEVELS_EVERY_S
        self._spectra: dict[str, StageSpectra] = {}
        self._spectra_at = 0.0
        self.drift = Drift()
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
        self.balance = BalanceMeasuring(self.rows, self.replay, self._hold, self._tell_balance)
        self.room = RoomTaker(
            lambda learning, room, refusal: self._say(
                requests.RoomLearned(
                    learning, room.model_dump_json().encode() if room else b"", refusal
                )
            ),
            self._tell_under_way,
        )
        self.sound_check = SoundCheck(
            Path(begin.takes_folder),
            folder.named,
            _takes.validate_json(begin.takes),
            KeptCheck.model_validate_json(wanted.kept_check) if wanted.kept_check else None,
            lambda take: self._ask(requests.SaveTake(take.model_dump_json().encode())),
            lambda kind: self._ask(requests.ForgetTake(kind)),
            self._tell_sound_check,
            self._tell_under_way,
            lambda wish: wish.under(self.rig),
            self.supervisor,
        )
        self.watching = Watching(
            self._say,
            self.rows.heard,
            lambda seconds: self.rows.raw.newest(round(seconds * SAMPLE_RATE_HZ)),
            lambda: self.balance.held_db,
            self.figures,
            self.supervisor,
        )
        self.last_minutes = LastMinutes()
        self._handlers = RequestHandlers(self)
        self._figuring_since_s: float | None = None
        self.figures.computer = Computer.model_validate_json(wanted.computer)
        self._follow_looks(wanted)
        self._follow_broadcast(wanted, begin.resumed)

    def start(self) -> None:
        """Begin all work that goes on for ever."""
        self._tell_under_way()
        keep = self.supervisor.keep
        keep("saying that it goes on", self._say_alive)
        keep("taking in the sound", self._listen)
        keep("making the figures", self._make_figures)
        keep("listening for echoes and hum", self._listen_slowly)
        keep("looking on at the balance", self.balance.look_on)
        keep("looking whether all is ready", self._look_before)

    async def close(self) -> None:
        """End all work."""
        self.sound_check.stop_run()
        await self.supervisor.close()
        self.replay.close()
        self.looper.close()

    # --- what the web process says ----------------------------------------------------------------

    def follow(self, wanted: ObserverWanted) -> None:
        """Another document of what is wanted: only what is another in it is done, and it is confirmed."""
        before, self.wanted = self.wanted, wanted
        if wanted.rig != before.rig:
            # Of the objects of the one before where nothing is another: windows of minutes hold many rigs.
            self.rig_set = with_shared(Rig.model_validate_json(wanted.rig), self.rig_set)
        if wanted.computer != before.computer:
            self.figures.computer = Computer.model_validate_json(wanted.computer)
        if (wanted.rig, wanted.tried) != (before.rig, before.tried):
            self._follow_rig(wanted)
        self._follow_looks(wanted, before)
        self._follow_broadcast(wanted)
        if wanted.kept_check != before.kept_check and wanted.kept_check:
            self.sound_check.accepted(KeptCheck.model_validate_json(wanted.kept_check))
            self.drift.forget()
        taken = [
            name
            for name, count in wanted.trims_taken.items()
            if count != before.trims_taken.get(name, 0)
        ]
        if taken:
            held_db = self.balance.held_db
            self.balance.set_held({name: db for name, db in held_db.items() if name not in taken})
        if wanted.loudness_count != before.loudness_count:
            self.balance.meter.forget_whole()
        if wanted.fault_count != before.fault_count:
            self.figures.notice_fault()
        if wanted.click_count != before.click_count:
            self.figures.forget_delay()
        self._confirm()

    def _confirm(self) -> None:
        self._say(requests.ObserverAlive(self.wanted.number))

    def _follow_rig(self, wanted: ObserverWanted) -> None:
        """Another rig is heard, or set."""
        before, self.rig = self.rig, _tried(self.rig_set, wanted)
        if _microphone_of(self.rig) != _microphone_of(before):
            self.figures.forget_microphone()
            self.balance.forget()
        if _device_of(self.rig) != _device_of(before):
            self.sound_check.cancel()
            self.rows.raw.forget()
            if self.looper.state.is_on or self.looper.state.is_recording:
                self.looper.stop()
        if wanted.tried is None:
            # Compared with what was measured, not with what a drag has already made heard.
            self.looper.follow(self.rig)
            self.balance.follow(self.rig)
        held_db = self.balance.held_db
        held = {
            one.id: held_db[one.id] for one in self.rig.inputs if one.is_held and one.id in held_db
        }
        if held != held_db:
            self.balance.set_held(held)

    def _follow_looks(self, wanted: ObserverWanted, before: ObserverWanted | None = None) -> None:
        """What pages look at, chain B, and the room that is learned."""
        was_balance, self.shown = self.shown.is_balance, wanted.shown
        self.figures.every_s = self._seen(LEVELS_EVERY_S, LEVELS_UNSEEN_EVERY_S)
        self._spectra = {
            name: self._spectra.get(name) or StageSpectra(name) for name in self.shown.stages
        }
        self.balance.is_watched = self.shown.is_balance
        if self.shown.is_balance and not was_balance:
            self.balance.changed()
        if wanted.other is not None and (before is None or wanted.other != before.other):
            self.looper.keep_other(_chain.validate_json(wanted.other.chain), wanted.other.name)
            self.looper.measure(self.rig_set)
        self.room.follow(wanted.learning)

    def _follow_broadcast(self, wanted: ObserverWanted, resumed: Resumed | None = None) -> None:
        """The broadcast that is watched over begins, goes on or ends."""
        on_air = wanted.on_air
        if self.watching.broadcast != (on_air.id if on_air else ""):
            self.last_minutes.forget()
            self.watching.end()
            if on_air is not None:
                self.last_minutes.begin()
                self.watching.begin(on_air, resumed)
        for number in on_air.dismissed if on_air else ():
            self.watching.dismiss(number)

    async def handle(self, request: requests.Request) -> Any:
        """Do what is asked for. Raises GoshawkError."""
        return await self._handlers.handle(request)

    # --- what is under way ------------------------------------------------------------------------

    def _play_loop(self, path: Path | None) -> None:
        if path:
            self.replay.stop()
        self._say(requests.PlayLoop(str(path) if path else None))
        if path:
            self.looper.measure(self.rig_set)

    def _compare(self, heard: Heard, gain_db: float, other: Chain | None) -> None:
        self._say(
            requests.Compare(heard, gain_db, None if other is None else _chain.dump_json(other))
        )

    def _play_replay(self, path: Path | None, names: list[str], gain_db: float) -> None:
        before = self.replay.before if self.replay.state.heard == "before" else None
        self._say(
            requests.PlayReplay(
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
        self._say(requests.Hold(held_db))

    # --- what pages see ---------------------------------------------------------------------------

    def notify(self, text: str, level: str) -> None:
        """Say a sentence in every window."""
        self._say(requests.Notify(text, level))

    def _show(self, kind: str, text: str) -> None:
        if self.shown.has_pages:
            self._say(requests.ToPages(text, kind))

    def _tell_under_way(self) -> None:
        self._say(
            requests.UnderWay(
                self.looper.state.model_dump_json().encode(),
                self.sound_check.performance or self.room.performance,
            )
        )

    def _tell_sound_check(self) -> None:
        self._show("sound_check", self.sound_check.state.model_dump_json())

    def _tell_balance(self) -> None:
        if self.shown.has_pages:  # Ten minutes of history are not written out for nobody.
            self._show("balance", self.balance.state.model_dump_json())

    # --- sound and readings -----------------------------------------------------------------------

    async def _say_alive(self) -> None:
        """For ever: sound and figures go on. While figures take too long for a machine that lets us, nothing is said, so that
        whoever watches over this process sees a thread that hangs, too."""
        while True:
            since_s = self._figuring_since_s
            if since_s is None or time.monotonic() - since_s < FIGURES_TAKE_S:
                self._confirm()
            await asyncio.sleep(ALIVE_EVERY_S)

    async def _listen(self) -> None:
        tick_s = TICK_S
        while True:
            # Behind, it goes on soon, and more and more calmly; everything else has its turn between.
            is_behind = self.take_in() >= TAKEN_AT_ONCE // 4
            tick_s = (
                TICK_BEHIND_S if is_behind else min(2.0 * tick_s, self._seen(TICK_S, TICK_UNSEEN_S))
            )
            await asyncio.sleep(tick_s)

    def _seen(self, often_s: float, seldom_s: float) -> float:
        """How often something is done: often while a page shows it."""
        return often_s if self.shown.has_pages else seldom_s

    def take_in(self) -> int:
        """Take what is new: sounds, then readings; returns how many readings there were."""
        self.rows.follow(self.rig)
        self._hear_sounds()
        found = self._reader.read(TAKEN_AT_ONCE)
        for readings in found:
            self._take(readings)
            if self.shown.has_pages:
                self._show_live(readings.plan)
        self._show_spectra()
        return len(found)

    def _show_spectra(self) -> None:
        now = time.monotonic()
        if not self._spectra or now - self._spectra_at < SPECTRA_EVERY_S:
            return
        self._spectra_at = now
        for spectra in self._spectra.values():
            self._show("spectra", spectra.message())

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
                self.last_minutes.push(name, piece.frame, piece.samples, self.rig)
                if name in kept:
                    self._keep(name, piece.frame, piece.samples)
                if name in compared:
                    # What comes in counts from when it came, what goes out from when it goes.
                    when = piece.at if name in FEEDS else piece.frame
                    self.figures.hear(name, when, piece.samples)
                if name in looked_at:
                    looked_at[name].push(name, piece.frame, piece.samples)
                if name == room and self.room.stage_id:
                    self.room.push(piece.frame, piece.samples)

    def _keep(self, name: str, frame: int, samples: Any) -> None:
        if name == RAW and (self.newest is None or not self.newest.is_replaying):
            self.looper.push(frame, samples)
            if self.sound_check.performance and self.rig.voice:
                self.sound_check.push(frame, picked(samples, self.rig.voice.channels))
        self.rows.push(name, frame, samples)

    def _take(self, readings: EngineReadings) -> None:
        if self.newest and self.newest.session != readings.session:
            self.figures.forget_all()
            self.balance.forget()
        elif self.newest and self.newest.is_replaying and not readings.is_replaying:
            self.balance.forget()  # What was kept since is the replay's tail.
        self.newest = readings
        self.heard_frame = readings.end_frame
        self.rows.push_activity(readings.first_hop, readings.activity)
        self.watching.has_loop = self.looper.state.is_on
        self.watching.push(readings, self.rig)
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
            began = self._figuring_since_s = time.monotonic()
            try:
                await self.figure_once()
            finally:
                self._figuring_since_s = None
            took_s = time.monotonic() - began
            # What it comes to over the last few, so that one slow one is no news.
            every_s = max(LEVELS_EVERY_S, 2.0 * took_s)
            self._every_s += (every_s - self._every_s) / 8.0
            # At most half of the time goes into figures, however slow the machine is.
            await asyncio.sleep(max(took_s, LEVELS_EVERY_S - took_s))

    async def figure_once(self) -> None:
        """Make the figures of what was heard last, and show them."""
        readings, figures = self.newest, self.figures
        if readings is None:
            return
        await self.balance.figure(self.rig)
        snapshot = figures.snapshot(
            readings,
            self.rig,
            self.lost,
            self._every_s,
            self.room.state,
            self.sound_check.progress,
            self.balance.levels,
            frozenset(self.shown.chains),
        )

        def work() -> tuple[Levels, str]:
            levels = levels_of(snapshot)
            return levels, levels.model_dump_json()

        levels, text = await asyncio.to_thread(work)
        if self.newest is None or self.newest.session != readings.session:
            return  # The audio process was lost meanwhile.
        figures.levels = levels
        self._watch_drift(levels)
        self._say(requests.ToPages(text, "levels"))

    def _watch_drift(self, levels: Levels) -> None:
        """Say once, when it lasts, that room or voice are not those of the check any more; on air, the rules do."""
        kept, said = self.sound_check.kept, ""
        if kept and not self.sound_check.performance:
            said = drift_of(kept.figures, levels.stations["microphone"])
        self.watching.figured(levels, said)
        sentence = self.drift.push(said)
        if sentence and not self.watching.is_on:
            self.notify(sentence, "news")

    async def _look_before(self) -> None:
        while True:
            await asyncio.sleep(BEFORE_EVERY_S)
            if self.shown.is_checklist:
                self.watching.look_before(
                    self.rig_set, self.figures.levels, self.sound_check.kept, self.balance.words
                )

    async def _listen_slowly(self) -> None:
        while True:
            await asyncio.sleep(self._seen(SLOW_EVERY_S, SLOW_UNSEEN_EVERY_S))
            if self.figures.levels:
                await self.figures.listen_slowly(self.rig)


def _device_of(rig: Rig) -> tuple[str, ...]:
    return (rig.voice.device, rig.voice.channels) if rig.voice else ()


def _microphone_of(rig: Rig) -> tuple[Any, ...]:
    """What the voice's level at the microphone depends on."""
    voice, knobs = rig.voice, rig.devices
    place = (voice.device, voice.channels) if voice else ()
    return (place, knobs.attic, knobs.file)


def _tried(rig: Rig, wanted: ObserverWanted) -> Rig:
    """What is heard: a rig, with what is tried over it."""
    return changed_together(rig, json.loads(wanted.tried)) if wanted.tried else rig

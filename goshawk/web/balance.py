"""The balance on the server: what is measured of it, what would help, holds, and the replay of recorded inputs."""

import asyncio
import contextlib
import time
from collections import deque
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np

from goshawk.core.masking import Improvement, Sight, improvements, sight_of
from goshawk.core.measure.levels import MOMENT_FRAMES
from goshawk.core.mix import (
    HeardInputs,
    MixFigures,
    bands_of,
    contributions,
    figures_of,
    heard_inputs,
)
from goshawk.core.observed.balance_meter import HISTORY_S, BalanceMeter
from goshawk.core.observed.row_keeper import KEPT_S, RowKeeper
from goshawk.core.rig import Rig
from goshawk.core.rules.balance import held_step
from goshawk.core.stage import Block
from goshawk.core.takes import MOST_GAIN_DB, SHORTEST_LOOP_S, seamless
from goshawk.errors import BadInput, HelperLost
from goshawk.units import SAMPLE_RATE_HZ
from goshawk.web.helper import Helper
from goshawk.web.kept_sound import write_sound
from goshawk.web.messages import (
    BalanceLevels,
    BalanceState,
    IndexPoint,
    ReplayHeard,
    ReplayState,
)
from goshawk.web.supervisor import Supervisor

LOOK_EVERY_S = 2.0
LOOK_UNWATCHED_EVERY_S = 5.0
TRY_EVERY_S = 8.0
LEVELS_EVERY_S = 0.4
SIGHTS_S = (3, 10)
INDEX_S = 10
"""Over so many seconds the bands and the index are shown; improvements are tried on all that is kept."""


class BalanceDesk:
    """Owns what is measured of the balance, and what is tried on it."""

    def __init__(
        self,
        hold: Callable[[dict[str, float]], None],
        play: Callable[[Path | None, list[str], float], None],
        tell: Callable[[], None],
        folder: Callable[[str], Path],
        supervisor: Supervisor,
    ) -> None:
        """``hold`` and ``play`` go to the engine, ``tell`` shows the state in every window; ``folder`` gives a place for sound."""
        self._hold, self.tell = hold, tell
        self.meter = BalanceMeter()
        self.rows = RowKeeper()
        self.held_db: dict[str, float] = {}
        self.levels = BalanceLevels()
        self.is_watched = False
        self._levels_at = 0.0
        self._is_second = False
        self._sights: dict[int, Sight] = {}
        self._improvements: list[Improvement] | None = None
        self._indices: deque[IndexPoint] = deque(maxlen=HISTORY_S // 2)
        self._number = 0
        self._version = 0
        self._wake = asyncio.Event()
        self._rig: Rig | None = None
        self._followed: Rig | None = None
        self._newest: dict[str, Any] | None = None
        self.helper = Helper()
        self.replay = Replay(play, tell, self.helper, folder, supervisor)

    def close(self) -> None:
        """Stop all work."""
        self.replay.close()
        self.helper.close()

    @property
    def state(self) -> BalanceState:
        """What pages show."""
        return BalanceState(
            sights=self._sights,
            improvements=self._improvements,
            seconds=list(self.meter.seconds),
            indices=list(self._indices),
            replay=self.replay.state,
        )

    def forget(self) -> None:
        """Another microphone, another gain of it, or another engine."""
        self.meter.forget()
        self.rows.forget()

    def push(self, readings: dict[str, Any], rig: Rig) -> bool:
        """Take what the engine says; True if figures are due."""
        self._rig = rig
        second = self.meter.push(readings, rig)
        self._newest = readings
        if second:
            self._number = second.number
            self._is_second = True
            self.tell()
        return self._is_second or time.monotonic() - self._levels_at >= LEVELS_EVERY_S

    async def figure(self, rig: Rig) -> None:
        """Make the figures that are due, beside the event loop; once a second, what holds should add."""
        now = time.monotonic()
        if now - self._levels_at < LEVELS_EVERY_S and not self._is_second:
            return
        self._levels_at = now
        is_second, self._is_second = self._is_second, False
        meter, held_db = self.meter.snapshot(), self.held_db

        def work() -> tuple[BalanceLevels, dict[str, float]]:
            wanted = held_step(meter.heard(), rig, held_db) if is_second else held_db
            levels = BalanceLevels(windows=meter.windows(rig), whole=meter.whole(), held_db=held_db)
            return levels, wanted

        self.levels, wanted = await asyncio.to_thread(work)
        if wanted != held_db and self.held_db is held_db:
            self.set_held(wanted)

    def push_rows(self, rows: dict[str, Any], rig: Rig) -> None:
        """Take the inputs' sound, which follows the readings that it goes with."""
        if self._newest is not None and self._newest["end_frame"] == rows["end_frame"]:
            self.rows.push(rows, self._newest, _sound_of(rig))
        self._newest = None

    def set_held(self, held_db: dict[str, float]) -> None:
        """What holds add to the trims from now on."""
        self.held_db = held_db
        self._hold(held_db)

    def follow(self, rig: Rig) -> None:
        """The rig that is set: another one than before is looked at anew, and replayed as it is."""
        if rig != self._followed:
            self._followed = rig
            self.changed()
            self.replay.measure(rig)

    def changed(self) -> None:
        """Look again soon: what is being tried is of another balance."""
        self._version += 1
        self._improvements = None
        self._wake.set()

    async def look_on(self) -> None:
        """For ever: what can be followed, and what would help."""
        tried_at = 0.0
        while True:
            self._wake.clear()
            due = self._improvements is None or time.monotonic() - tried_at > TRY_EVERY_S
            is_trying = self.is_watched and due
            if is_trying:
                tried_at = time.monotonic()
            with contextlib.suppress(HelperLost):  # the next look starts another
                await self._look(is_trying)
            every_s = LOOK_EVERY_S if self.is_watched else LOOK_UNWATCHED_EVERY_S
            await asyncio.sleep(0.3)
            with contextlib.suppress(TimeoutError):
                await asyncio.wait_for(self._wake.wait(), every_s)

    async def _look(self, is_trying: bool) -> None:
        rig = self._rig
        heard = self.rows.heard(KEPT_S if is_trying else INDEX_S) if rig else None
        if rig is None or heard is None:
            return
        version = self._version
        sights, tried = await self.helper.run(_look_at, rig, self.held_db, heard, is_trying)
        if version != self._version:
            return
        self._sights = sights
        if tried is not None:
            self._improvements = tried
        index = sights[INDEX_S].sii
        if index is not None:
            self._indices.append(IndexPoint(number=self._number, sii=index))
        self.tell()


def _look_at(
    rig: Rig, held_db: dict[str, float], heard: HeardInputs, is_trying: bool
) -> tuple[dict[int, Sight], list[Improvement] | None]:
    rig = with_holds(rig, held_db)
    sights = {}
    recent = heard.last(max(SIGHTS_S))
    parts = contributions(rig, recent)
    for seconds in SIGHTS_S:
        newest = recent.last(seconds)
        length = len(newest.activity) * MOMENT_FRAMES
        own = {name: part[len(part) - length :] for name, part in parts.items()}
        sights[seconds] = sight_of(rig, newest, bands_of(rig, own, newest.activity))
    if not is_trying:
        return sights, None
    return sights, [without_holds(one, held_db) for one in improvements(rig, heard)]


def with_holds(rig: Rig, held_db: dict[str, float]) -> Rig:
    """The rig with what holds add taken into the trims."""
    inputs = tuple(
        one.model_copy(update={"trim_db": one.trim_db + held_db.get(one.id, 0.0)})
        for one in rig.inputs
    )
    return rig.model_copy(update={"inputs": inputs})


def without_holds(one: Improvement, held_db: dict[str, float]) -> Improvement:
    """A suggestion that was made ``with_holds``, for the rig as it is saved: a hold goes on adding what it adds."""
    paths = {f"inputs.{name}.trim_db": db for name, db in held_db.items()}
    changes = {
        path: round(value - paths[path], 2) if path in paths and isinstance(value, float) else value
        for path, value in one.changes.items()
    }
    return one.model_copy(update={"changes": changes})


def _sound_of(rig: Rig) -> Any:
    """What the sound at the strips depends on."""
    return (
        rig.devices,
        rig.chained,
        rig.chain,
        [(one.id, one.device, one.channels, one.delay_ms) for one in rig.inputs],
    )


class Replay:
    """Recorded inputs that play in place of the devices, under the balance of then or of now."""

    def __init__(
        self,
        play: Callable[[Path | None, list[str], float], None],
        tell: Callable[[], None],
        helper: Helper,
        folder: Callable[[str], Path],
        supervisor: Supervisor,
    ) -> None:
        self._play, self._tell, self._helper = play, tell, helper
        self._folder, self._supervisor = folder, supervisor
        self._path: Path | None = None
        self._names: list[str] = []
        self._count = 0
        self._wanted: Rig | None = None
        self._measuring: asyncio.Task[None] | None = None
        self.before: Rig | None = None
        self.state = ReplayState()

    def close(self) -> None:
        """Forget everything."""
        self._forget_sound()

    def _forget_sound(self) -> None:
        if self._path:
            self._path.unlink(missing_ok=True)
            self._path = None

    async def start(self, sounds: dict[str, Block] | None, rig: Rig) -> None:
        """Replay recorded inputs. Raises BadInput if there are too few seconds, or no room for them."""
        frames = len(next(iter(sounds.values()))) if sounds else 0
        if sounds is None or frames < SHORTEST_LOOP_S * SAMPLE_RATE_HZ:
            raise BadInput("There is not yet enough sound to replay. Wait a few seconds.")
        names = list(sounds)
        self._count += 1
        count, path = self._count, self._folder("replay") / f"{self._count}.npy"

        def make() -> Block:
            looped: Block = np.stack([seamless(sounds[name]) for name in names])
            write_sound(path, looped)
            return looped

        looped = await asyncio.to_thread(make)
        if count != self._count:
            path.unlink(missing_ok=True)
            return  # Another was begun, or it was stopped, meanwhile.
        self._forget_sound()
        self._path, self._names = path, names
        self.before = rig
        self.state = ReplayState(
            is_on=True, duration_s=round(looped.shape[1] / SAMPLE_RATE_HZ, 1), is_measuring=True
        )
        self._play(self._path, self._names, 0.0)
        self.measure(rig)
        self._tell()

    def stop(self) -> None:
        """The devices again."""
        self._count += 1
        if self.state.is_on:
            self.before = None
            self.state = ReplayState()
            self._play(None, [], 0.0)
            self._forget_sound()
            self._tell()

    def hear(self, heard: ReplayHeard) -> None:
        """The balance of then, or of now, equally loud. Raises BadInput."""
        if not self.state.is_on:
            raise BadInput("Nothing is replayed. Start the replay first.")
        self.state = self.state.model_copy(update={"heard": heard})
        self._send()
        self._tell()

    def _send(self) -> None:
        before, now = self.state.before, self.state.now
        gain_db = 0.0
        if self.state.heard == "before" and before and now:
            gain_db = (now.integrated_lufs or 0.0) - (before.integrated_lufs or 0.0)
        self._play(self._path, self._names, max(-MOST_GAIN_DB, min(MOST_GAIN_DB, gain_db)))

    def measure(self, rig: Rig) -> None:
        """Measure both balances on what is replayed, beside everything else; of many wishes, the newest."""
        if not self.state.is_on:
            return
        self._wanted = rig
        if self._measuring is None:
            self._measuring = self._supervisor.once("measuring the replay", self._measure())

    async def _measure(self) -> None:
        try:
            while self._wanted and self.before and self._path:
                rig, self._wanted = self._wanted, None
                path, was = self._path, self.before
                self.state = self.state.model_copy(update={"is_measuring": True})
                self._tell()
                try:
                    before, now = await self._helper.run(compared, path, self._names, was, rig)
                except (HelperLost, OSError):
                    if path == self._path:
                        break
                    continue  # Another replay took its place meanwhile.
                if path != self._path:
                    continue
                self.state = self.state.model_copy(update={"before": before, "now": now})
                self._send()
                self._tell()
        finally:
            self._measuring = None
            if self.state.is_on:
                self.state = self.state.model_copy(update={"is_measuring": False})
            self._tell()


def compared(path: Path, names: list[str], before: Rig, now: Rig) -> tuple[MixFigures, MixFigures]:
    """Figures of two balances on the same recorded inputs."""
    sounds = dict(zip(names, np.load(path), strict=True))
    heard = heard_inputs(before, sounds)
    same = _sound_of(before) == _sound_of(now)
    return figures_of(before, heard), figures_of(now, heard if same else heard_inputs(now, sounds))

"""The balance on the server: what is measured of it, what would help, holds, and the replay of recorded inputs."""

import asyncio
import contextlib
import tempfile
import time
from collections import deque
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np

from goshawk.core.masking import Sight, Suggestion, sight_of, suggestions
from goshawk.core.measure.balance_meter import HISTORY_S, BalanceMeter
from goshawk.core.measure.levels import MOMENT_FRAMES
from goshawk.core.measure.row_keeper import KEPT_S, RowKeeper
from goshawk.core.mix import (
    HeardInputs,
    MixFigures,
    bands_of,
    contributions,
    figures_of,
    heard_inputs,
)
from goshawk.core.rig import Rig
from goshawk.core.rules.balance import held_step
from goshawk.core.stage import Block
from goshawk.core.takes import MOST_GAIN_DB, SHORTEST_LOOP_S, seamless
from goshawk.errors import BadInput, HelperLost
from goshawk.units import SAMPLE_RATE_HZ
from goshawk.web.helper import Helper
from goshawk.web.messages import (
    BalanceLevels,
    BalanceState,
    IndexPoint,
    ReplayHeard,
    ReplayState,
)

LOOK_EVERY_S = 2.0
LOOK_UNWATCHED_EVERY_S = 5.0
TRY_EVERY_S = 8.0
LEVELS_EVERY_S = 0.4
SIGHTS_S = (3, 10)
INDEX_S = 10
"""Over so many seconds the bands and the index are shown; suggestions are tried on all that is kept."""


class BalanceDesk:
    """Owns what is measured of the balance, and what is tried on it."""

    def __init__(
        self,
        hold: Callable[[dict[str, float]], None],
        play: Callable[[Path | None, list[str], float], None],
        tell: Callable[[str], None],
    ) -> None:
        """``hold`` and ``play`` go to the engine, ``tell`` to every page."""
        self._hold, self._play, self._tell = hold, play, tell
        self.meter = BalanceMeter()
        self.rows = RowKeeper()
        self.held_db: dict[str, float] = {}
        self.levels = BalanceLevels()
        self.is_watched = False
        self._levels_at = 0.0
        self._sights: dict[int, Sight] = {}
        self._suggestions: list[Suggestion] | None = None
        self._indices: deque[IndexPoint] = deque(maxlen=HISTORY_S // 2)
        self._number = 0
        self._version = 0
        self._wake = asyncio.Event()
        self._task: asyncio.Task[None] | None = None
        self._rig: Rig | None = None
        self._newest: dict[str, Any] | None = None
        self.helper = Helper()
        self.replay = Replay(play, self.tell, self.helper)

    def start(self) -> None:
        """Begin to look."""
        self._task = asyncio.create_task(self._look_on())

    async def close(self) -> None:
        """Stop all work."""
        if self._task:
            self._task.cancel()
            await asyncio.gather(self._task, return_exceptions=True)
        self.replay.close()
        self.helper.close()

    @property
    def state(self) -> BalanceState:
        """What pages show."""
        return BalanceState(
            sights=self._sights,
            suggestions=self._suggestions,
            seconds=list(self.meter.seconds),
            indices=list(self._indices),
            replay=self.replay.state,
        )

    def tell(self) -> None:
        """Say how it stands in every window."""
        self._tell(self.state.model_dump_json())

    def forget(self) -> None:
        """Another microphone, another gain of it, or another engine."""
        self.meter.forget()
        self.rows.forget()

    def push(self, readings: dict[str, Any], rig: Rig) -> None:
        """Take what the engine says."""
        self._rig = rig
        second = self.meter.push(readings, rig)
        self._newest = readings
        if second:
            self._number = second.number
            self._step_holds(rig)
            self.tell()
        now = time.monotonic()
        if now - self._levels_at >= LEVELS_EVERY_S:
            self._levels_at = now
            self.levels = BalanceLevels(
                windows=self.meter.windows(rig),
                whole=self.meter.whole(),
                held_db=self.held_db,
            )

    def push_rows(self, rows: dict[str, Any], rig: Rig) -> None:
        """Take the inputs' sound, which follows the readings that it goes with."""
        if self._newest is not None:
            self.rows.push(rows, self._newest, _sound_of(rig))
            self._newest = None

    def _step_holds(self, rig: Rig) -> None:
        wanted = held_step(self.meter.heard(), rig, self.held_db)
        if wanted != self.held_db:
            self.set_held(wanted)

    def set_held(self, held_db: dict[str, float]) -> None:
        """What holds add to the trims from now on."""
        self.held_db = held_db
        self._hold(held_db)

    def changed(self) -> None:
        """The rig is another one: look again soon. What is being tried is of the one before."""
        self._version += 1
        self._suggestions = None
        self._wake.set()

    async def _look_on(self) -> None:
        tried_at = 0.0
        while True:
            self._wake.clear()
            due = self._suggestions is None or time.monotonic() - tried_at > TRY_EVERY_S
            is_trying = self.is_watched and due
            if is_trying:
                tried_at = time.monotonic()
            with contextlib.suppress(HelperLost):  # the next look starts another
                await self._look(is_trying)
            every_s = LOOK_EVERY_S if self.is_watched else LOOK_UNWATCHED_EVERY_S
            await asyncio.sleep(0.3)
            try:
                await asyncio.wait_for(self._wake.wait(), every_s)
            except TimeoutError:
                continue

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
            self._suggestions = tried
        index = sights[INDEX_S].sii
        if index is not None:
            self._indices.append(IndexPoint(number=self._number, sii=index))
        self.tell()


def _look_at(
    rig: Rig, held_db: dict[str, float], heard: HeardInputs, is_trying: bool
) -> tuple[dict[int, Sight], list[Suggestion] | None]:
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
    return sights, [without_holds(one, held_db) for one in suggestions(rig, heard)]


def with_holds(rig: Rig, held_db: dict[str, float]) -> Rig:
    """The rig with what holds add taken into the trims."""
    inputs = tuple(
        one.model_copy(update={"trim_db": one.trim_db + held_db.get(one.id, 0.0)})
        for one in rig.inputs
    )
    return rig.model_copy(update={"inputs": inputs})


def without_holds(one: Suggestion, held_db: dict[str, float]) -> Suggestion:
    """A suggestion that was made ``with_holds``, for the rig as it is saved: a hold goes on adding what it adds."""
    paths = {f"inputs.{name}.trim_db": db for name, db in held_db.items()}
    changes = {
        path: round(float(value) - paths[path], 2) if path in paths else value
        for path, value in one.changes.items()
    }
    return one.model_copy(update={"changes": changes})


def _sound_of(rig: Rig) -> Any:
    """What the sound at the strips depends on."""
    return (
        rig.devices,
        rig.chained,
        rig.chain,
        [(one.id, one.device, one.channels) for one in rig.inputs],
    )


class Replay:
    """Recorded inputs that play in place of the devices, under the balance of then or of now."""

    def __init__(
        self,
        play: Callable[[Path | None, list[str], float], None],
        tell: Callable[[], None],
        helper: Helper,
    ) -> None:
        self._play, self._tell, self._helper = play, tell, helper
        self._folder: tempfile.TemporaryDirectory[str] | None = None
        self._path: Path | None = None
        self._names: list[str] = []
        self._count = 0
        self._wanted: Rig | None = None
        self._measuring: asyncio.Task[None] | None = None
        self.before: Rig | None = None
        self.state = ReplayState()

    def close(self) -> None:
        """Forget everything."""
        if self._measuring:
            self._measuring.cancel()
        if self._folder:
            self._folder.cleanup()

    def start(self, sounds: dict[str, Block] | None, rig: Rig) -> None:
        """Replay recorded inputs. Raises BadInput if there are too few seconds."""
        frames = len(next(iter(sounds.values()))) if sounds else 0
        if sounds is None or frames < SHORTEST_LOOP_S * SAMPLE_RATE_HZ:
            raise BadInput("There is not yet enough sound to replay. Wait a few seconds.")
        self._names = list(sounds)
        looped = np.stack([seamless(sounds[name]) for name in self._names])
        self._folder = self._folder or tempfile.TemporaryDirectory(prefix="goshawk-replay-")
        self._count += 1
        old, self._path = self._path, Path(self._folder.name) / f"{self._count}.npy"
        np.save(self._path, looped)
        if old:
            old.unlink(missing_ok=True)
        self.before = rig
        self.state = ReplayState(
            is_on=True, duration_s=round(looped.shape[1] / SAMPLE_RATE_HZ, 1), is_measuring=True
        )
        self._play(self._path, self._names, 0.0)
        self.measure(rig)
        self._tell()

    def stop(self) -> None:
        """The devices again."""
        if self.state.is_on:
            self.before = None
            self.state = ReplayState()
            self._play(None, [], 0.0)
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
            self._measuring = asyncio.create_task(self._measure())

    async def _measure(self) -> None:
        try:
            while self._wanted and self.before and self._path:
                rig, self._wanted = self._wanted, None
                self.state = self.state.model_copy(update={"is_measuring": True})
                self._tell()
                before, now = await self._helper.run(
                    compared, self._path, self._names, self.before, rig
                )
                if not self.state.is_on:
                    continue
                self.state = self.state.model_copy(
                    update={
                        "before": before,
                        "now": now,
                        "is_measuring": self._wanted is not None,
                    }
                )
                self._send()
                self._tell()
        except HelperLost:
            self.state = self.state.model_copy(update={"is_measuring": False})
            self._tell()
        finally:
            self._measuring = None


def compared(path: Path, names: list[str], before: Rig, now: Rig) -> tuple[MixFigures, MixFigures]:
    """Figures of two balances on the same recorded inputs."""
    sounds = dict(zip(names, np.load(path), strict=True))
    heard = heard_inputs(before, sounds)
    same = before.chain == now.chain and before.voice == now.voice
    return figures_of(before, heard), figures_of(now, heard if same else heard_inputs(now, sounds))

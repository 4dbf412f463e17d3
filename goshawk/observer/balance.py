"""The balance as it goes on: what is measured of it, what would help, and what holds add."""

import asyncio
import contextlib
import time
from collections import deque
from collections.abc import Callable

from goshawk.core.masking.index import Sight, sight_of
from goshawk.core.masking.what_helps import Improvement, improvements
from goshawk.core.measure.levels import HOP_FRAMES
from goshawk.core.mix import HeardInputs
from goshawk.core.observed.balance_meter import HISTORY_S, BalanceMeter
from goshawk.core.observed.row_keeper import KEPT_S, RowKeeper
from goshawk.core.observed.running_bands import RunningBands
from goshawk.core.rig import Rig
from goshawk.core.rules.balance import held_step
from goshawk.observer.replay import Replay
from goshawk.page_messages.balance import BalanceLevels, BalanceState, IndexPoint
from goshawk.timeline.readings import EngineReadings

LOOK_EVERY_S = 4.0
LOOK_UNWATCHED_EVERY_S = 20.0
SETTLES_S = 0.3
"""Changes that come close together are looked at together."""

LEVELS_EVERY_S = 0.4
SIGHTS_S = (3, 10)
INDEX_S = 10
"""Over so many seconds the bands and the index are shown; improvements are tried on all that is kept, and again when twice as much
has been heard anew: soon where little is kept yet."""


class BalanceMeasuring:
    """Owns what is measured of the balance, and what is tried on it."""

    def __init__(
        self,
        rows: RowKeeper,
        replay: Replay,
        hold: Callable[[dict[str, float]], None],
        tell: Callable[[], None],
    ) -> None:
        """``hold`` goes to the engine, ``tell`` shows the state in every window."""
        self.rows, self.replay = rows, replay
        self._hold, self.tell = hold, tell
        self.meter = BalanceMeter()
        self.held_db: dict[str, float] = {}
        self.levels = BalanceLevels()
        self.is_watched = False
        self._levels_at = 0.0
        self._is_second = False
        self._sights: dict[int, Sight] = {}
        self._bands = RunningBands(INDEX_S)
        self._improvements: list[Improvement] | None = None
        self._indices: deque[IndexPoint] = deque(maxlen=HISTORY_S // 2)
        self._number = 0
        self._tried_s = self._since_tried_s = 0
        self._version = 0
        self._wake = asyncio.Event()
        self._rig: Rig | None = None
        self._followed: Rig | None = None

    @property
    def state(self) -> BalanceState:
        """What pages show."""
        return BalanceState(
            sights=self._sights,
            improvements=self._improvements,
            tried_s=self._tried_s,
            seconds=list(self.meter.seconds),
            indices=list(self._indices),
            replay=self.replay.state,
        )

    @property
    def words(self) -> float | None:
        """The newest index of what can be followed; None while it cannot be told."""
        sight = self._sights.get(INDEX_S)
        return sight.sii if sight else None

    def forget(self) -> None:
        """Another microphone, another gain of it, or another engine."""
        self.meter.forget()
        self.rows.forget()

    def push(self, readings: EngineReadings, rig: Rig) -> bool:
        """Take what the engine says; True if figures are due."""
        self._rig = rig
        second = self.meter.push(readings, rig)
        if second:
            self._number = second.number
            self._since_tried_s += 1
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
        while True:
            self._wake.clear()
            is_due = self._improvements is None or self._since_tried_s > 2 * self._tried_s
            await self._look(self.is_watched and is_due)
            every_s = LOOK_EVERY_S if self.is_watched else LOOK_UNWATCHED_EVERY_S
            await asyncio.sleep(SETTLES_S)
            with contextlib.suppress(TimeoutError):
                async with asyncio.timeout(every_s):
                    await self._wake.wait()

    async def _look(self, is_trying: bool) -> None:
        rig = self._rig
        heard = self.rows.heard(rig, KEPT_S if is_trying else INDEX_S) if rig else None
        if rig is None or heard is None:
            return
        if is_trying:
            self._tried_s, self._since_tried_s = round(heard.seconds), 0
        version = self._version
        sights, tried = await asyncio.to_thread(
            _look_at, rig, self.held_db, heard, self._bands, is_trying
        )
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
    rig: Rig,
    held_db: dict[str, float],
    heard: HeardInputs,
    running: RunningBands,
    is_trying: bool,
) -> tuple[dict[int, Sight], list[Improvement] | None]:
    rig = with_holds(rig, held_db)
    sights = {}
    bands = running.take(rig, heard.last(max(SIGHTS_S)))
    for seconds in SIGHTS_S:
        newest = bands.since((heard.end_hop - 100 * seconds) * HOP_FRAMES)
        sights[seconds] = sight_of(rig, heard.last(seconds), newest)
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

"""Finds the smallest buffer that holds, by trying each size for some seconds on the running engine."""

import asyncio

from goshawk.bus import Bus
from goshawk.core.rig import BLOCK_SIZES, BlockFrames
from goshawk.core.rules.buffer import BufferTrial, advise_buffer
from goshawk.engine.messages import Seen
from goshawk.page_messages.wiring import BufferSearchState
from goshawk.supervisor import Supervisor
from goshawk.units import SAMPLE_RATE_HZ
from goshawk.web.events import StateChanged
from goshawk.web.what_plays import WhatPlays

SETTLE_S = 0.8
"""A new size takes effect at once; the first blocks after it are not typical."""

TRIAL_S = 4.0


class BufferSearch:
    """One search at a time."""

    def __init__(self, plays: WhatPlays, supervisor: Supervisor, bus: Bus) -> None:
        self._plays, self._supervisor, self._bus = plays, supervisor, bus
        self._task: asyncio.Task[None] | None = None
        self._late_at_start: int | None = None
        self._late = 0
        self._blocks = (0, 0)
        self._slowest = 0.0
        self._is_counting = False
        self._trying: BlockFrames | None = None
        self.state = BufferSearchState()
        bus.subscribe(Seen, self._push)

    def find(self, is_on: bool) -> None:
        """Begin, if no search runs, or break it off."""
        (self._start if is_on else self.cancel)()
        self._tell()

    def _start(self) -> None:
        if self._task is None or self._task.done():
            self.state = BufferSearchState(is_running=True, sizes=list(BLOCK_SIZES))
            self._task = self._supervisor.once("the search for a buffer", self._run())
            self._task.add_done_callback(self._ended)

    def cancel(self) -> None:
        """Break off and go back to the size that is set."""
        if self._task and not self._task.done():
            self._task.cancel()

    def _push(self, seen: Seen) -> None:
        """The engine's own figures of each reading."""
        engine = seen.engine
        if self._trying is None or engine.block_frames != self._trying:
            return
        late = engine.late_blocks + engine.missed_blocks + engine.device_dropouts
        if not self._is_counting:
            self._late_at_start, self._blocks = late, (engine.blocks, engine.blocks)
            self._slowest = 0.0
            return
        self._late = late - (self._late_at_start or 0)
        self._blocks = (self._blocks[0], engine.blocks)
        self._slowest = max(self._slowest, engine.slowest_share)

    async def _run(self) -> None:
        trials: list[BufferTrial] = []
        for size in BLOCK_SIZES:
            self._is_counting = False
            self._late, self._slowest = 0, 0.0
            self._try(size)
            self._show(trials, size)
            await asyncio.sleep(SETTLE_S)
            self._is_counting = True
            await asyncio.sleep(TRIAL_S)
            least = round(TRIAL_S * SAMPLE_RATE_HZ / size / 2)
            trials.append(
                BufferTrial(
                    block_frames=size,
                    blocks=max(self._blocks[1] - self._blocks[0], least),
                    late_blocks=self._late,
                    slowest_share=round(self._slowest, 3),
                )
            )
        self.state = BufferSearchState(
            sizes=list(BLOCK_SIZES), trials=trials, advice=advise_buffer(trials)
        )

    def _ended(self, task: asyncio.Task[None]) -> None:
        """However it ended, also before it had begun: the size that is set, and what came of it."""
        if task.cancelled() or self.state.is_running:
            self.state = BufferSearchState(was_cancelled=True)
        self._try(None)
        self._tell()

    def _try(self, size: BlockFrames | None) -> None:
        self._trying = size
        self._plays.try_block(size)

    def _tell(self) -> None:
        self._bus.publish(StateChanged())

    def _show(self, trials: list[BufferTrial], size: BlockFrames) -> None:
        self.state = BufferSearchState(
            is_running=True,
            sizes=list(BLOCK_SIZES),
            trials=list(trials),
            trying=size,
            progress=len(trials) / len(BLOCK_SIZES),
        )
        self._tell()

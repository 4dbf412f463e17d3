"""Finds the smallest buffer that holds, by trying each size for some seconds on the running engine."""

import asyncio
from collections.abc import Callable

from goshawk.core.rig import BLOCK_SIZES, BlockFrames
from goshawk.core.rules.buffer import BufferTrial, advise_buffer
from goshawk.page_messages.wiring import BufferSearchState
from goshawk.supervisor import Supervisor
from goshawk.timeline.readings import EngineReading
from goshawk.units import SAMPLE_RATE_HZ

SETTLE_S = 0.8
"""A new size takes effect at once; the first blocks after it are not typical."""

TRIAL_S = 4.0


class BufferSearch:
    """One search at a time. While it runs, ``block_frames`` is the size being tried."""

    def __init__(
        self, try_size: Callable[[], None], tell: Callable[[], None], supervisor: Supervisor
    ) -> None:
        self._try_size = try_size
        self._tell = tell
        self._supervisor = supervisor
        self._task: asyncio.Task[None] | None = None
        self._late_at_start: int | None = None
        self._late = 0
        self._blocks = (0, 0)
        self._slowest = 0.0
        self._is_counting = False
        self.block_frames: BlockFrames | None = None
        self.state = BufferSearchState()

    def start(self) -> None:
        """Begin; does nothing while a search runs."""
        if self._task is None or self._task.done():
            self.state = BufferSearchState(is_running=True, sizes=list(BLOCK_SIZES))
            self._task = self._supervisor.once("the search for a buffer", self._run())
            self._task.add_done_callback(self._ended)

    def cancel(self) -> None:
        """Break off and go back to the size that is set."""
        if self._task and not self._task.done():
            self._task.cancel()

    def push(self, engine: EngineReading) -> None:
        """The engine's own figures of each reading."""
        if self.block_frames is None or engine.block_frames != self.block_frames:
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
            self.block_frames = size
            self._is_counting = False
            self._late, self._slowest = 0, 0.0
            self._try_size()
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
        self.block_frames = None
        if task.cancelled() or self.state.is_running:
            self.state = BufferSearchState(was_cancelled=True)
        self._try_size()
        self._tell()

    def _show(self, trials: list[BufferTrial], size: BlockFrames) -> None:
        self.state = BufferSearchState(
            is_running=True,
            sizes=list(BLOCK_SIZES),
            trials=list(trials),
            trying=size,
            progress=len(trials) / len(BLOCK_SIZES),
        )
        self._tell()

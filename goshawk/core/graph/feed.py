"""One listener's feed behind the sum: ceiling, meter, delay."""

import numpy as np

from goshawk.core.chain_slots import LimiterSlot
from goshawk.core.compiled import kernel
from goshawk.core.dsp.delay import Delay
from goshawk.core.dsp.limiter import LimiterSettings
from goshawk.core.graph.chain import StagePlace
from goshawk.core.measure.levels import HopMeter
from goshawk.core.routing import LONGEST_FEED_DELAY_MS, FeedSettings
from goshawk.core.stage import CLEAN, Block
from goshawk.core.steps import Step, StepProgram, copying
from goshawk.units import ms_to_frames


@kernel
def _let_out(block: Block, share: Block) -> None:
    frames = block.shape[0]
    if frames and share[0, 0] == 1.0 == share[frames - 1, 0]:
        return  # A straight way from one to one.
    for n in range(frames):
        for c in range(block.shape[1]):
            block[n, c] *= share[n, 0]


class Feed:
    """What follows the sum: ceiling, meter, delay. The delay is last, so that levels are not late."""

    def __init__(self, settings: FeedSettings, max_frames: int) -> None:
        self.ceiling = StagePlace(_ceiling_slot(settings), 2, max_frames)
        self.delay = Delay(2, ms_to_frames(LONGEST_FEED_DELAY_MS), ms_to_frames(settings.delay_ms))
        self.meter = HopMeter()
        self.held = np.zeros((max_frames, 2), np.float32)

    def apply(self, settings: FeedSettings) -> None:
        """Take new settings."""
        self.ceiling.apply(_ceiling_slot(settings))
        self.delay.set_frames(ms_to_frames(settings.delay_ms))

    def add_to(self, program: StepProgram, block: Block, share: Block, *meters: Step) -> None:
        """Ceiling and meter, in place; ``block`` is then kept as ``held``; the delay of what leaves: a ``share`` of
        shape (frames, 1). What does not leave is not kept for later either."""
        program.add(block, CLEAN, *self.ceiling.steps, self.meter.cleaning, copying(self.held))
        program.add(block, *meters, Step(_let_out, share), self.delay.step)


def _ceiling_slot(settings: FeedSettings) -> LimiterSlot:
    return LimiterSlot(
        id="ceiling",
        is_bypassed=not settings.has_ceiling,
        settings=LimiterSettings(ceiling_dbtp=settings.ceiling_dbtp),
    )

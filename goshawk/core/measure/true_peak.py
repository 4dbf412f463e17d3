"""True peak after ITU-R BS.1770-5 Annex 2, with the interpolator published there."""

import numpy as np

from goshawk.core.compiled import kernel
from goshawk.core.dsp.oversampling import (
    BS1770_PHASES,
    Phases,
    between_samples,
    gains_of,
    spans_of,
)
from goshawk.core.stage import Block, Floats
from goshawk.core.steps import Integers, Samples, Step
from goshawk.units import linear_to_db

_GAINS = gains_of(BS1770_PHASES)

_SPANS = spans_of(BS1770_PHASES)


@kernel
def _measure(
    block: Block,
    history: Phases,
    line: Samples,
    total: Samples,
    phases: Phases,
    spans: Integers,
    gains: Floats,
    peaks: Samples,
    greatest: Floats,
) -> None:
    """``greatest[0]`` is the greatest so far."""
    between_samples(block, history, line, total, phases, spans, gains, peaks, greatest[0])
    for n in range(block.shape[0]):
        greatest[0] = max(greatest[0], float(peaks[n]))


class TruePeakMeter:
    """Greatest value between samples, over all channels, since it was last taken."""

    def __init__(self, channels: int, max_frames: int) -> None:
        taps = BS1770_PHASES.shape[1]
        self._greatest = np.zeros(1)
        self.step = Step(
            _measure,
            np.zeros((channels, taps - 1), np.float32),
            np.zeros(taps - 1 + max_frames, np.float32),
            np.zeros(max_frames, np.float32),
            BS1770_PHASES,
            _SPANS,
            _GAINS,
            np.zeros(max_frames, np.float32),
            self._greatest,
        )

    def measure(self, block: Block) -> None:
        """Read a block of shape (frames, channels); leaves it as it is."""
        self.step.run(block)

    def take_dbtp(self) -> float:
        """The greatest since the last call, in dBTP."""
        greatest = float(self._greatest[0])
        self._greatest[0] = 0.0
        return linear_to_db(greatest)

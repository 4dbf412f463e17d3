"""True peak after ITU-R BS.1770-5 Annex 2, with the interpolator published there."""

import numpy as np

from goshawk.core.dsp.oversampling import BS1770_PHASES, between_samples, greatest_gain, spans_of
from goshawk.core.stage import Block
from goshawk.units import linear_to_db

_GREATEST_GAIN = greatest_gain(BS1770_PHASES) * 1.000001
"""A little more, so that rounding hides no peak."""

_SPANS = spans_of(BS1770_PHASES)


class TruePeakMeter:
    """Greatest value between samples, over all channels, since it was last taken."""

    def __init__(self, channels: int, max_frames: int) -> None:
        taps = BS1770_PHASES.shape[1]
        self._history = np.zeros((channels, taps - 1), np.float32)
        self._line = np.zeros(taps - 1 + max_frames, np.float32)
        self._total = np.zeros(max_frames, np.float32)
        self._peaks = np.zeros(max_frames, np.float32)
        self._greatest = 0.0

    def measure(self, block: Block) -> None:
        """Read a block of shape (frames, channels); leaves it as it is."""
        if not block.shape[0]:
            return
        between_samples(
            block, self._history, self._line, self._total, BS1770_PHASES, _SPANS, self._peaks,
            self._greatest / _GREATEST_GAIN,
        )  # fmt: skip
        self._greatest = max(self._greatest, float(self._peaks[: block.shape[0]].max()))

    def take_dbtp(self) -> float:
        """The greatest since the last call, in dBTP."""
        greatest, self._greatest = self._greatest, 0.0
        return linear_to_db(greatest)

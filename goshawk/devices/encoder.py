"""The broadcast encoder: takes the Viewers feed and says what it gets, as the far end sees it."""

import numpy as np

from goshawk.core.device_readings import EncoderReading
from goshawk.core.stage import Block
from goshawk.devices.base import raise_peaks
from goshawk.units import SAMPLE_RATE_HZ, SILENCE_DBFS, linear_to_db

SILENT_AFTER_S = 2.0


class Encoder:
    """Counts what is missing and how loud the rest is."""

    def __init__(self) -> None:
        self._peaks = np.zeros(2)
        self._highest = 0.0
        self._silent_frames = 0
        self.gaps = 0

    def take(self, feed: Block, *, is_late: bool = False) -> None:
        """A block of the feed, shape (frames, 2); a late one leaves a gap in what viewers hear."""
        self._peaks.fill(0.0)
        raise_peaks(feed, self._peaks)
        peak = float(max(self._peaks[0], self._peaks[1]))
        self._highest = max(self._highest, peak)
        self._silent_frames = 0 if peak > 1e-6 else self._silent_frames + len(feed)
        self.gaps += is_late

    def status(self) -> EncoderReading:
        """Peak since the last call in dBFS, gaps so far, and whether it gets only silence."""
        peak_dbfs = round(max(SILENCE_DBFS, linear_to_db(self._highest)), 1)
        self._highest = 0.0
        return {
            "peak_dbfs": peak_dbfs,
            "gaps": self.gaps,
            "is_silent": self._silent_frames > SILENT_AFTER_S * SAMPLE_RATE_HZ,
        }

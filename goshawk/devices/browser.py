"""The browser's microphone: its sound comes over the network in pieces, at the browser's clock."""

import numpy as np

from goshawk.core.device_readings import DeviceReading
from goshawk.core.dsp.rate_matcher import RateMatcher
from goshawk.core.stage import Block
from goshawk.core.steps import Step

TARGET_AGE_MS = 70.0
"""How old the sound is when it is given out: a page sends pieces of 10 to 20 ms, now and then late."""

RATES_HZ = range(8_000, 192_001)


class BrowserMicrophone:
    """Two channels at 48 kHz, whatever the page sends."""

    channels = 2

    def __init__(self) -> None:
        self._matcher: RateMatcher | None = None
        self._rate_hz = 0
        self.now_s = 0.0

    def push(self, rate_hz: int, samples: Block) -> None:
        """Take a piece of shape (frames, 1 or 2)."""
        if samples.shape[1] == 1:
            samples = np.repeat(samples, 2, axis=1)
        if self._matcher is None or rate_hz != self._rate_hz:
            self._matcher = RateMatcher(2, rate_hz, TARGET_AGE_MS)
            self._rate_hz = rate_hz
        good = np.nan_to_num(samples, nan=0.0, posinf=0.0, neginf=0.0)
        self._matcher.push(np.ascontiguousarray(good, np.float32), self.now_s)

    def stop(self) -> None:
        """The page has closed its microphone."""
        self._matcher = None

    def read(self, block: Block) -> None:
        if self._matcher is None:
            block.fill(0.0)
        else:
            self._matcher.pull(block, self.now_s)

    def steps(self) -> tuple[Step, ...] | None:
        return None

    def status(self) -> DeviceReading:
        if self._matcher is None:
            return {"state": "waiting"}
        reading: DeviceReading = {"state": "playing", "rate_hz": self._rate_hz}
        return {**reading, **self._matcher.reading()}

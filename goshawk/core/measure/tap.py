"""Short pieces of sound for slow measurements beside the audio process: a few kilohertz of each input
and feed, to find the same sound in two places, and the whole of the microphone's device."""

import numpy as np

from goshawk.core.stage import Block, Floats, kernel
from goshawk.units import SAMPLE_RATE_HZ

DECIMATION = 8
TAP_RATE_HZ = SAMPLE_RATE_HZ // DECIMATION
KEPT_TAP_SAMPLES = 4096
KEPT_RAW_FRAMES = 1 << 15


@kernel
def _tap(block: Block, state: Floats, ring: Block) -> None:
    """Mean of the channels through two boxcars of DECIMATION frames, one sample each DECIMATION.

    State: sum of the running box, of the one before, frame within the box, samples written. Two boxes
    make a triangle: what aliases is 25 dB down, enough to compare like with like."""
    channels = block.shape[1]
    for n in range(block.shape[0]):
        mono = 0.0
        for c in range(channels):
            mono += float(block[n, c])
        state[0] += mono / channels
        state[2] += 1.0
        if state[2] == DECIMATION:
            ring[int(state[3]) % ring.shape[0], 0] = np.float32(
                (state[0] + state[1]) / (2.0 * DECIMATION)
            )
            state[1] = state[0]
            state[0] = state[2] = 0.0
            state[3] += 1.0


class Tap:
    """One signal at TAP_RATE_HZ."""

    def __init__(self) -> None:
        self._state = np.zeros(4)
        self._ring = np.zeros((KEPT_TAP_SAMPLES, 1), np.float32)

    @property
    def written(self) -> int:
        """Samples so far."""
        return int(self._state[3])

    def listen(self, block: Block) -> None:
        """Hear a block of shape (frames, channels)."""
        _tap(block, self._state, self._ring)

    def newest(self, count: int) -> Block:
        """The last ``count`` samples, shape (count,); silence before the beginning."""
        places = np.arange(self.written - count, self.written) % KEPT_TAP_SAMPLES
        newest: Block = self._ring[places, 0]
        return newest


class RawTap:
    """A signal at the full rate, until it is taken."""

    def __init__(self, channels: int = 2) -> None:
        self._ring = np.zeros((KEPT_RAW_FRAMES, channels), np.float32)
        self._written = self._taken = 0

    def listen(self, block: Block) -> None:
        """Keep a block of shape (frames, channels)."""
        start = self._written % KEPT_RAW_FRAMES
        until_end = min(len(block), KEPT_RAW_FRAMES - start)
        self._ring[start : start + until_end] = block[:until_end]
        self._ring[: len(block) - until_end] = block[until_end:]
        self._written += len(block)

    @property
    def next_frame(self) -> int:
        """The number of the first frame that ``take`` will give."""
        return max(self._taken, self._written - KEPT_RAW_FRAMES)

    def take(self) -> Block:
        """What came since the last call, shape (frames, channels); at most what the ring holds."""
        first = self.next_frame
        count, start = self._written - first, first % KEPT_RAW_FRAMES
        self._taken = self._written
        until_end = min(count, KEPT_RAW_FRAMES - start)
        return np.concatenate(
            [self._ring[start : start + until_end], self._ring[: count - until_end]]
        )

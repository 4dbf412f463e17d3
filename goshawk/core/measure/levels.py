"""Levels in pieces of 10 ms, from which every longer figure is made.

Such a piece is a *hop* ("frame" means one sample of every channel). Hops are numbered from
the microphone on; a station further down the path starts counting later by its latency, so that
hop k means the same sound everywhere.
"""

import math
from dataclasses import asdict, dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from goshawk.core.compiled import kernel
from goshawk.core.measure.percentiles import median, percentiles
from goshawk.core.stage import Block, Floats, add_power, clean, greatest
from goshawk.core.steps import Step
from goshawk.units import (
    SAMPLE_RATE_HZ,
    SILENCE_DBFS,
    SILENCE_LINEAR,
    amplitudes_to_db,
    power_to_db,
)

HOP_MS = 10
HOP_FRAMES = SAMPLE_RATE_HZ * HOP_MS // 1000
KEPT_HOPS = 64
"""So many finished hops wait to be taken: 0.64 s."""


@kernel
def _gather(block: Block, state: Floats, kept: Floats, has_to_clean: float) -> None:
    """State: peak, frames gathered, frame within the hop, hops finished, and four sums of squares.

    ``kept`` is a ring of shape (KEPT_HOPS, 2): power and peak of each finished hop."""
    frames, channels = block.shape
    samples, sums = block.reshape(-1), state[4:8]
    if has_to_clean == 1.0:
        clean(block)
    start = 0
    while start < frames:
        # To the end of the hop, or of what is too early to count.
        until = HOP_FRAMES if state[2] >= 0.0 else 0.0
        count = min(frames - start, max(1, math.ceil(until - state[2])))
        if state[2] >= 0.0:
            piece = samples[start * channels : (start + count) * channels]
            add_power(piece, sums, int(state[1]) * channels)
            state[0] = max(state[0], greatest(piece))
            state[1] += count
        state[2] += count
        start += count
        if state[2] >= HOP_FRAMES:
            place = int(state[3]) % kept.shape[0]
            power = (sums[0] + sums[1]) + (sums[2] + sums[3])
            kept[place, 0] = power / (channels * max(state[1], 1.0))
            kept[place, 1] = state[0]
            sums[:] = 0.0
            state[0] = state[1] = 0.0
            state[2] -= HOP_FRAMES
            state[3] += 1.0


@lru_cache(maxsize=16)
def hop_places(first: int, count: int) -> NDArray[np.int64]:
    """Where hops first … first + count are kept in a ring of KEPT_HOPS; many meters are asked for the same."""
    return (first + np.arange(count)) % KEPT_HOPS


class HopMeter:
    """RMS (mean power of the channels) and sample peak of each hop at one station."""

    def __init__(self, latency_frames: int = 0) -> None:
        self._state = np.zeros(8)
        self._kept = np.zeros((KEPT_HOPS, 2))
        self._latency_frames = latency_frames
        self._state[2] = -latency_frames
        self.measuring = Step(_gather, self._state, self._kept, 0.0)
        """Reads a block of shape (frames, channels), and leaves it as it is."""
        self.cleaning = Step(_gather, self._state, self._kept, 1.0)
        """Makes the block clean (see ``stage.clean``), and reads it."""

    @property
    def finished(self) -> int:
        """How many hops are complete."""
        return int(self._state[3])

    @property
    def latency_frames(self) -> int:
        """By how much sound comes later here than at the device."""
        return self._latency_frames

    def set_latency(self, latency_frames: int) -> None:
        """Follow a change of the latency up to this station: one hop is longer or shorter."""
        self._state[2] -= latency_frames - self._latency_frames
        self._latency_frames = latency_frames

    def join(self, other: "HopMeter") -> None:
        """Count hops as a meter does that has been running; this one's latency stays."""
        self._state[2:4] = other._state[2:4]
        self._state[2] -= self._latency_frames - other._latency_frames

    def measure(self, block: Block) -> None:
        """Read a block of shape (frames, channels); leaves it as it is."""
        self.measuring.run(block)

    def hops(self, first: int, count: int) -> Floats:
        """Power and peak (linear) of hops first … first + count, shape (count, 2)."""
        kept: Floats = self._kept[hop_places(first, count)]
        return kept


def hops_in_db(hops: Floats) -> Floats:
    """Power and peak in columns → RMS and peak in dBFS."""
    out: Floats = np.empty_like(hops)
    out[..., 0] = power_to_db(hops[..., 0], SILENCE_LINEAR**2)
    out[..., 1] = amplitudes_to_db(hops[..., 1])
    return out


PAUSE, SPEECH, TAIL = 0, 1, 2
"""What speech activity says of a hop. A tail is the time after a word in which one cannot tell;
it counts as neither."""

LEAST_HOPS = 50
"""No figure is given from less than half a second."""


@dataclass(frozen=True)
class StationLevels:
    """Levels at one station over a window (design: noise floor, body, peaks, highest peak).

    All in dBFS, None where the window holds too little speech or pause to say."""

    noise_floor_dbfs: float | None
    quiet_dbfs: float | None
    body_low_dbfs: float | None
    body_high_dbfs: float | None
    peaks_dbfs: float | None
    highest_peak_dbfs: float | None

    def rounded(self) -> "StationLevels":
        """To what a screen shows."""
        return StationLevels(
            **{
                name: None if value is None else round(value, 1)
                for name, value in asdict(self).items()
            }
        )


def station_levels(hops_db: Floats, activity: NDArray[np.integer]) -> StationLevels:
    """Levels from hops of shape (n, 2), RMS and peak in dBFS, and their activity of shape (n,).

    Noise floor: median RMS in pauses. Quiet: 5th percentile of RMS in speech. Body: its 25th to
    75th. Peaks: 95th percentile of the peaks in speech. Highest peak: of every hop.
    """
    speech = hops_db[activity == SPEECH]
    pause = hops_db[activity == PAUSE]
    floor = median(pause[:, 0]) if len(pause) >= LEAST_HOPS else None
    highest = float(hops_db[:, 1].max()) if len(hops_db) else None
    if highest is not None and highest <= SILENCE_DBFS:
        highest = None
    if len(speech) < LEAST_HOPS:
        return StationLevels(floor, None, None, None, None, highest)
    quiet, low, high = percentiles(speech[:, 0], 5, 25, 75)
    peaks = percentiles(speech[:, 1], 95)[0]
    return StationLevels(floor, quiet, low, high, peaks, highest)

"""Takes sound in at one clock and gives it out at another, without gaps or clicks.

The rate is converted by libsoxr in its variable-rate mode. What is controlled here is the ratio: the
age of the sound that is given out is compared with a target, and a proportional-integral loop
follows the difference between the two clocks, so that the age stays where it was set however long it
runs (after F. Adriaensen, "Controlling adaptive resampling", Linux Audio Conference 2012). Ages are
taken with the time of each piece, since a count of what waits jumps by a whole piece and would beat
slowly against the reader's blocks.
"""

from typing import Any

import numpy as np
import soxr
from typing_extensions import TypedDict

from goshawk.core.stage import Block
from goshawk.units import SAMPLE_RATE_HZ

SMOOTHING_S = 0.5
LOOP_RAD_PER_S = 0.1
"""The loop's natural frequency, critically damped: it settles within a minute and does not follow the
coming and going of single pieces."""

FIRST_S = 20.0
FIRST_LOOP_RAD_PER_S = 0.5
"""So long after its start the loop is quicker, so that the clocks' difference is known soon."""

MOST_CORRECTION = 0.005
"""A change of speed by half a percent is a twelfth of a semitone, inaudible in speech. Clocks that
differ by more are not drifting: the rate is another one than was said."""

COUNTING_S = 3.0
"""So long pieces are counted before a rate is called untrue."""

PRIMING_S = 0.1
"""So much silence goes into a new converter first: what does not come out again is what it holds
back, and stays constant to a frame."""

USUAL_RATES_HZ = (8_000, 16_000, 22_050, 24_000, 32_000, 44_100, 48_000, 88_200, 96_000, 192_000)


class MatcherReading(TypedDict):
    """Fill and age in ms, clock difference found in ppm, dropouts and overruns so far, and the rate that was counted if
    it is not the one that was said."""

    fill_ms: float
    age_ms: float
    clock_ppm: int
    dropouts: int
    overruns: int
    counted_rate_hz: float | None


class RateMatcher:
    """A queue between two clocks. Shapes are (frames, channels), rates in Hz, times in seconds of
    the reader's clock."""

    def __init__(self, channels: int, input_rate_hz: float, target_ms: float) -> None:
        self._channels = channels
        self._target = target_ms * SAMPLE_RATE_HZ / 1000.0
        size = 1 << int(np.ceil(np.log2(self._target * 4 + SAMPLE_RATE_HZ)))
        self._ring = np.zeros((size, channels), np.float32)
        self.dropouts = 0
        self.overruns = 0
        self.counted_rate_hz: float | None = None
        self._begin(input_rate_hz)

    def _begin(self, rate_hz: float) -> None:
        """Start from nothing, for pieces at this rate."""
        self._rate_hz = rate_hz
        self._stream = self._make_stream(rate_hz)
        priming = np.zeros((int(PRIMING_S * rate_hz), self._channels), np.float32)
        came_out = len(self._stream.resample_chunk(priming))
        self._lag = len(priming) * SAMPLE_RATE_HZ / rate_hz - came_out
        self._written = self._read = 0
        self._is_running = False
        self._pushed_at_s = 0.0
        self._age = self._target
        self._integral = 0.0
        self._correction = 0.0
        self._counted_from_s: float | None = None
        self._counted = 0

    def _make_stream(self, rate_hz: float) -> Any:
        # The rate given first is the highest that may be asked for later.
        most = rate_hz * (1.0 + 2.0 * MOST_CORRECTION)
        stream = soxr.ResampleStream(
            most, SAMPLE_RATE_HZ, self._channels, dtype="float32", quality="HQ", vr=True
        )
        stream.set_io_ratio(rate_hz, SAMPLE_RATE_HZ, 0)
        return stream

    @property
    def target_ms(self) -> float:
        """The age at which sound is given out."""
        return self._target * 1000.0 / SAMPLE_RATE_HZ

    def push(self, block: Block, at_s: float) -> None:
        """Take a piece of any length whose last frame was captured at ``at_s``."""
        self._count(len(block), at_s)
        self._stream.set_io_ratio(
            self._rate_hz * (1.0 + self._correction), SAMPLE_RATE_HZ, len(block)
        )
        self._write(self._stream.resample_chunk(block))
        self._pushed_at_s = at_s

    def _write(self, piece: Block) -> None:
        size = len(self._ring)
        piece = piece[-(size // 2) :]
        start = self._written % size
        until_end = min(len(piece), size - start)
        self._ring[start : start + until_end] = piece[:until_end]
        self._ring[: len(piece) - until_end] = piece[until_end:]
        self._written += len(piece)
        if self._written - self._read > size // 2:
            self.overruns += 1
            self._read = self._written - round(self._target)
            self._age = self._target

    def _count(self, frames: int, at_s: float) -> None:
        """Whether the rate is what it is said to be, by counting over COUNTING_S."""
        if self._counted_from_s is None or at_s - self._pushed_at_s > 0.1:
            self._counted_from_s, self._counted = at_s, 0
            return
        self._counted += frames
        seconds = at_s - self._counted_from_s
        if seconds < COUNTING_S:
            return
        rate_hz = self._counted / seconds
        self._counted_from_s, self._counted = at_s, 0
        if abs(rate_hz / self._rate_hz - 1.0) > MOST_CORRECTION:
            near = min(USUAL_RATES_HZ, key=lambda usual: abs(usual - rate_hz))
            found = near if abs(rate_hz / near - 1.0) < MOST_CORRECTION else round(rate_hz)
            self.counted_rate_hz = found
            self._begin(found)

    def _age_at(self, at_s: float) -> float:
        """How old, in frames of the output, the next frame given out is."""
        waiting = self._written - self._read
        return waiting + (at_s - self._pushed_at_s) * SAMPLE_RATE_HZ + self._lag

    def pull(self, out: Block, at_s: float) -> bool:
        """Fill ``out`` at the time ``at_s``; silence, and False, while there is not enough."""
        frames = len(out)
        if not self._is_running and self._written and self._age_at(at_s) >= self._target:
            # Begin exactly at the target: what is too old is left out.
            self._read += max(0, round(self._age_at(at_s) - self._target))
            self._is_running = self._written - self._read >= frames
            self._age = self._target
        if self._is_running and self._written - self._read < frames:
            self.dropouts += 1
            self._is_running = False
        if not self._is_running:
            out.fill(0.0)
            return False
        seconds = frames / SAMPLE_RATE_HZ
        self._age += (self._age_at(at_s) - self._age) * min(1.0, seconds / SMOOTHING_S)
        # The age is the integral of the speed's error, so this is a loop of second order.
        error_s = (self._age - self._target) / SAMPLE_RATE_HZ
        is_first = self._read < FIRST_S * SAMPLE_RATE_HZ
        loop = FIRST_LOOP_RAD_PER_S if is_first else LOOP_RAD_PER_S
        self._integral = _bounded(self._integral + loop**2 * error_s * seconds)
        self._correction = _bounded(2.0 * loop * error_s + self._integral)
        size = len(self._ring)
        start = self._read % size
        until_end = min(frames, size - start)
        out[:until_end] = self._ring[start : start + until_end]
        out[until_end:] = self._ring[: frames - until_end]
        self._read += frames
        return True

    def reading(self) -> MatcherReading:
        """How it does."""
        waiting = max(0, self._written - self._read)
        return {
            "fill_ms": round(waiting * 1000.0 / SAMPLE_RATE_HZ, 1),
            "age_ms": round(self._age * 1000.0 / SAMPLE_RATE_HZ, 2),
            "clock_ppm": round(self._integral * 1e6),
            "dropouts": self.dropouts,
            "overruns": self.overruns,
            "counted_rate_hz": self.counted_rate_hz,
        }


def _bounded(correction: float) -> float:
    return max(-MOST_CORRECTION, min(MOST_CORRECTION, correction))

"""Takes sound in at one clock and gives it out at another, without gaps or clicks.

A ring of input is read at a fractional position by a Kaiser-windowed sinc (J. O. Smith, *Digital
Audio Resampling Home Page*: tabulated filter, linear interpolation between table rows). The speed
follows the ring's mean fill through a proportional-integral loop, so that two clocks which differ
by some hundred ppm neither empty nor overfill it, and the delay stays where it was set.
"""

import math
from typing import Any

import numpy as np

from goshawk.core.stage import Block, Floats, kernel
from goshawk.units import SAMPLE_RATE_HZ

TAPS = 32
ROWS = 256
KAISER_BETA = 9.0
FILL_SMOOTHING_S = 0.5
LOOP_RAD_PER_S = 0.1
"""The loop's natural frequency, critically damped: it settles within a minute and does not follow the
coming and going of single pieces."""

MOST_CORRECTION = 0.005
"""A change of speed by half a percent is a twelfth of a semitone, inaudible in speech."""


def _table(cutoff: float) -> Floats:
    """Rows of the interpolator for each 1/ROWS of a sample; shape (ROWS + 1, TAPS)."""
    offsets = np.arange(TAPS) - (TAPS // 2 - 1)
    x = offsets[None, :] - np.arange(ROWS + 1)[:, None] / ROWS
    inside = np.clip(1.0 - (x / (TAPS / 2)) ** 2, 0.0, 1.0)
    rows = np.sinc(cutoff * x) * np.i0(KAISER_BETA * np.sqrt(inside))
    table: Floats = rows / rows.sum(axis=1, keepdims=True)
    return table


@kernel
def _read(ring: Block, table: Floats, position: float, step: float, out: Block) -> float:
    """Fill ``out`` from the ring at ``position`` onwards; returns the new position."""
    size = ring.shape[0]
    for n in range(out.shape[0]):
        whole = math.floor(position)
        row = (position - whole) * ROWS
        low = int(row)
        part = row - low
        start = int(whole) - (TAPS // 2 - 1)
        for c in range(out.shape[1]):
            total = 0.0
            for t in range(TAPS):
                h = table[low, t] + part * (table[low + 1, t] - table[low, t])
                total += h * ring[(start + t) % size, c]
            out[n, c] = np.float32(total)
        position += step
    return position


class RateMatcher:
    """A ring between two clocks. Shapes are (frames, channels); rates in Hz."""

    def __init__(self, channels: int, input_rate_hz: int, target_fill_ms: float) -> None:
        self._nominal = input_rate_hz / SAMPLE_RATE_HZ
        self._table = _table(min(1.0, 1.0 / self._nominal))
        self._target = target_fill_ms * input_rate_hz / 1000.0
        size = 1 << math.ceil(math.log2(self._target * 4 + input_rate_hz / 2))
        self._ring = np.zeros((size, channels), np.float32)
        self._written = 0
        self._position = 0.0
        self._is_running = False
        self._mean_fill = self._target
        self._integral = 0.0
        self.dropouts = 0
        self.overruns = 0

    @property
    def _fill(self) -> float:
        return self._written - self._position - TAPS

    def push(self, block: Block) -> None:
        """Take input of any length. Beyond what the ring holds, the oldest is skipped (counted)."""
        size = len(self._ring)
        block = block[-(size // 2) :]
        places = (self._written + np.arange(len(block))) % size
        self._ring[places] = block
        self._written += len(block)
        if self._fill > max(3.0 * self._target, size / 4):
            self.overruns += 1
            self._restart_at_target()

    def pull(self, out: Block) -> bool:
        """Fill ``out``; silence, and False, while there is not enough."""
        needed = len(out) * self._nominal * (1.0 + MOST_CORRECTION) + 1
        if not self._is_running and self._fill >= self._target:
            self._restart_at_target()
        if self._is_running and self._fill < needed:
            self.dropouts += 1
            self._is_running = False
        if not self._is_running:
            out.fill(0.0)
            return False
        seconds = len(out) / SAMPLE_RATE_HZ
        self._mean_fill += (self._fill - self._mean_fill) * min(1.0, seconds / FILL_SMOOTHING_S)
        # The fill is the integral of the speed's error, so this is a loop of second order.
        error_s = (self._mean_fill - self._target) / (self._nominal * SAMPLE_RATE_HZ)
        self._integral = _bounded(self._integral + LOOP_RAD_PER_S**2 * error_s * seconds)
        correction = _bounded(2.0 * LOOP_RAD_PER_S * error_s + self._integral)
        step = self._nominal * (1.0 + correction)
        self._position = _read(self._ring, self._table, self._position, step, out)
        return True

    def _restart_at_target(self) -> None:
        self._position = max(0.0, self._written - self._target - TAPS)
        self._mean_fill = self._target
        self._is_running = True

    def reading(self) -> dict[str, Any]:
        """Fill in ms, clock difference found in ppm, dropouts and overruns so far."""
        return {
            "fill_ms": round(max(0.0, self._fill) * 1000.0 / (self._nominal * SAMPLE_RATE_HZ), 1),
            "clock_ppm": round(self._integral * 1e6),
            "dropouts": self.dropouts,
            "overruns": self.overruns,
        }


def _bounded(correction: float) -> float:
    return max(-MOST_CORRECTION, min(MOST_CORRECTION, correction))

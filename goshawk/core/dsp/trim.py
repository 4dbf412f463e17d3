"""Trim: sets the level into the chain. Gain, polarity and removal of a constant offset (DC).

Signal flow: DC removal → gain, with its sign. The DC remover is the first-order high-pass
y[n] = x[n] - x[n-1] + R y[n-1] (J. O. Smith, *Introduction to Digital Filters*, "DC Blocker").
"""

import math

import numpy as np

from goshawk.core.compiled import kernel
from goshawk.core.settings import Settings, choice, number
from goshawk.core.stage import TINY, Block, Floats, Glide, Stage, StageReading, glide, is_gliding
from goshawk.core.steps import Step
from goshawk.units import SAMPLE_RATE_HZ, db_to_linear

DC_CORNER_HZ = 5.0
"""An octave and more below any voice or room tone, so that nothing audible is touched."""


class TrimSettings(Settings):
    """Settings of the trim."""

    gain_db: float = number(
        0.0,
        -30.0,
        40.0,
        "dB",
        "Gain",
        "Lifts or lowers the microphone before the other stages.",
        reads=(
            (-30, "turns it down"),
            (-1, "leaves it nearly as it came"),
            (1, "lifts it a little"),
            (12, "lifts it much, and the noise with it"),
            (25, "makes up for a preamp that is far too low; turn that up instead"),
        ),
    )
    is_polarity_inverted: bool = choice(
        False, "Invert polarity", "Turns the wave upside down, to match a second microphone."
    )
    is_dc_removed: bool = choice(
        True, "Remove DC", "Takes away a constant offset, which costs headroom and clicks."
    )


@kernel
def _trim(
    block: Block, state: Floats, now: Floats, between: Floats, target: Floats, a: float, r: float
) -> None:
    """State per channel: last input, last output of the DC remover."""
    frames, channels = block.shape
    start = 0
    while start < frames:
        # While a setting glides frame by frame, then all that is left.
        is_moving = is_gliding(now, between, target)
        end = start + 1 if is_moving else frames
        if is_moving:
            glide(now, between, target, a)
        gain, share = now[0], now[1]
        for c in range(channels):
            last, kept = state[0, c], state[1, c]
            for n in range(start, end):
                x = float(block[n, c])
                kept = x - last + r * kept
                if abs(kept) < TINY:
                    kept = 0.0
                last = x
                block[n, c] = np.float32(gain * (x + share * (kept - x)))
            state[0, c], state[1, c] = last, kept
        start = end


class Trim(Stage[TrimSettings]):
    """Gain, polarity and DC removal. No latency."""

    def __init__(self, settings: TrimSettings, channels: int, max_frames: int) -> None:
        self._state = np.zeros((2, channels))
        self._glide = Glide(2)
        self._r = 1.0 - 2.0 * math.pi * DC_CORNER_HZ / SAMPLE_RATE_HZ
        g = self._glide
        self.steps = (Step(_trim, self._state, g.now, g.between, g.target, g.coefficient, self._r),)
        super().__init__(settings, channels, max_frames)

    def apply(self, settings: TrimSettings) -> None:
        self.settings = settings
        sign = -1.0 if settings.is_polarity_inverted else 1.0
        self._glide.set(sign * db_to_linear(settings.gain_db), float(settings.is_dc_removed))

    def reset(self) -> None:
        self._state.fill(0.0)
        self._glide.settle()

    def take_reading(self) -> StageReading:
        return {}

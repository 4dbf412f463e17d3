"""Measuring a delay by sending a click through: a burst of 10 ms whose autocorrelation is one sharp
peak, found again by a matched filter (the correlation of what arrives with what was sent).

The burst is noise above 4 kHz, where speech has little, and the rest of what arrives is filtered away,
so that it is found under a talking voice.
"""

import numpy as np

from goshawk.core.compiled import kernel
from goshawk.core.dsp.side_chain import filter_sample, high_pass_coefficients
from goshawk.core.stage import Block, Floats
from goshawk.units import SAMPLE_RATE_HZ

CLICK_FRAMES = SAMPLE_RATE_HZ // 100
LEAST_CORRELATION = 0.4
"""Below this, what arrived is not the click: noise of the same bandwidth reaches 0.3 by chance."""

LOWEST_HZ = 4000.0


def make_click(level: float) -> Block:
    """The burst with a peak of ``level`` (linear), shape (CLICK_FRAMES, 1)."""
    noise = np.random.default_rng(11).standard_normal(CLICK_FRAMES)
    spectrum = np.fft.rfft(noise)
    spectrum[np.fft.rfftfreq(CLICK_FRAMES, 1.0 / SAMPLE_RATE_HZ) < LOWEST_HZ] = 0.0
    burst = np.fft.irfft(spectrum, CLICK_FRAMES) * np.hanning(CLICK_FRAMES)
    click: Block = (burst / np.abs(burst).max() * level).astype(np.float32)[:, None]
    return click


@kernel
def _search(block: Block, click: Floats, line: Floats, state: Floats, k: Floats, z: Floats) -> None:
    """``z``: states of two high-passes. Line: the last CLICK_FRAMES of the mono sound and room for a block behind them. State: greatest
    correlation, frame at which the click began there, frames heard."""
    length = click.shape[0]
    frames = block.shape[0]
    for n in range(frames):
        mono = 0.5 * (float(block[n, 0]) + float(block[n, 1]))
        line[length + n] = filter_sample(filter_sample(mono, k, z[0]), k, z[1])
    for n in range(frames):
        dot = 0.0
        energy = 1e-12
        for i in range(length):
            x = line[n + 1 + i]
            dot += x * click[i]
            energy += x * x
        found = abs(dot) / np.sqrt(energy)
        if found > state[0]:
            state[0] = found
            state[1] = state[2] + n + 1 - length
    for i in range(length):
        line[i] = line[frames + i]
    state[2] += frames


class ClickListener:
    """Listens for the click in one feed, from the frame on at which it was sent."""

    def __init__(self, max_frames: int) -> None:
        self._k = high_pass_coefficients(LOWEST_HZ)
        self._line = np.zeros(CLICK_FRAMES + max(max_frames, CLICK_FRAMES))
        self._click = np.zeros(CLICK_FRAMES)
        self._forget()
        # The template is the click as the filters leave it.
        _search(
            np.repeat(make_click(1.0), 2, axis=1), self._click, self._line, self._state, self._k,
            self._z,
        )  # fmt: skip
        self._click = self._line[:CLICK_FRAMES] / np.sqrt(np.sum(self._line[:CLICK_FRAMES] ** 2))
        self._line.fill(0.0)
        self._forget()

    def _forget(self) -> None:
        self._z = np.zeros((2, 2))
        self._state = np.zeros(3)

    def listen(self, block: Block) -> None:
        """Hear the next block, shape (frames, 2)."""
        _search(block, self._click, self._line, self._state, self._k, self._z)

    @property
    def heard_frames(self) -> int:
        """How long it has listened."""
        return int(self._state[2])

    def found_frame(self) -> int | None:
        """Frame, counted from the start of listening, at which the click began; None if it did not come."""
        return int(self._state[1]) if self._state[0] >= LEAST_CORRELATION else None

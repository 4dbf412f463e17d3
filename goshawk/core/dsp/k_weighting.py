"""The K-weighting of ITU-R BS.1770-5, and the power of what passes it, piece by piece.

A ``LoudnessMeter`` weighs the sound and keeps the mean square of each 100 ms (*segment*), or of each 10 ms where
the greatest momentary loudness is asked for: a tone of 400 ms begins where it likes (EBU Tech 3341, cases 10 to 14).
"""

import numpy as np

from goshawk.core.compiled import kernel
from goshawk.core.stage import TINY, Block, Floats
from goshawk.core.steps import Integers, Step
from goshawk.units import SAMPLE_RATE_HZ

SEGMENT_FRAMES = SAMPLE_RATE_HZ // 10
HOP_FRAMES = SAMPLE_RATE_HZ // 100
HOPS_PER_SEGMENT = SEGMENT_FRAMES // HOP_FRAMES
SEGMENTS_PER_BLOCK = 4
"""Gating blocks of 400 ms, overlapping by 75 % (BS.1770-5 Annex 1)."""

OFFSET_LUFS = -0.691
RELATIVE_GATE_LU = -10.0

# BS.1770-5 Annex 1, tables 1 and 2: the coefficients at 48 kHz, as published (b0 b1 b2 a1 a2).
_SHELF = np.array(
    [1.53512485958697, -2.69169618940638, 1.19839281085285, -1.69065929318241, 0.73248077421585]
)
_HIGH_PASS = np.array([1.0, -2.0, 1.0, -1.99004745483398, 0.99007225036621])


@kernel
def weigh(
    block: Block,
    shelf: Floats,
    high_pass: Floats,
    weights: Floats,
    z: Floats,
    state: Floats,
    out: Floats,
    segment_frames: int,
) -> int:
    """K-weighted power, summed over channels. Returns how many segments were completed."""
    frames, channels = block.shape
    done = 0
    for n in range(frames):
        for c in range(channels):
            x = float(block[n, c])
            y = shelf[0] * x + z[c, 0]
            z[c, 0] = shelf[1] * x - shelf[3] * y + z[c, 1]
            z[c, 1] = shelf[2] * x - shelf[4] * y
            w = high_pass[0] * y + z[c, 2]
            z[c, 2] = high_pass[1] * y - high_pass[3] * w + z[c, 3]
            z[c, 3] = high_pass[2] * y - high_pass[4] * w
            state[0] += weights[c] * w * w
        state[1] += 1.0
        if state[1] >= segment_frames:
            out[done] = state[0] / segment_frames
            done += 1
            state[0] = state[1] = 0.0
            for c in range(channels):
                for i in range(4):
                    if abs(z[c, i]) < TINY:
                        z[c, i] = 0.0
    return done


SURROUND_WEIGHTS = (1.0, 1.0, 1.0, 1.41, 1.41)
"""Left, right, centre and both surrounds (BS.1770-5 Annex 1, table 3)."""


@kernel
def _weigh_on(
    block: Block,
    shelf: Floats,
    high_pass: Floats,
    weights: Floats,
    z: Floats,
    state: Floats,
    out: Floats,
    kept: Floats,
    counts: Integers,
) -> None:
    """The same, the segments into the ring ``kept``. Counts: frames of a segment, segments ever finished."""
    for i in range(weigh(block, shelf, high_pass, weights, z, state, out, counts[0])):
        kept[counts[1] % kept.shape[0]] = out[i]
        counts[1] += 1


KEPT_SEGMENTS = 64
"""So many wait to be taken."""


class LoudnessMeter:
    """Weighs blocks of one or two channels, which count once each, or of five."""

    def __init__(
        self, channels: int, max_frames: int, segment_frames: int = SEGMENT_FRAMES
    ) -> None:
        self._weights = np.array(SURROUND_WEIGHTS if channels == 5 else (1.0,) * channels)
        self._z = np.zeros((channels, 4))
        self._state = np.zeros(2)
        self._out = np.zeros(max_frames // segment_frames + 1)
        self._kept = np.zeros(KEPT_SEGMENTS)
        self._counts = np.array([segment_frames, 0])
        self._taken = 0
        self.arrays = _SHELF, _HIGH_PASS, self._weights, self._z, self._state, self._out
        """As ``weigh`` takes them."""
        self.step = Step(_weigh_on, *self.arrays, self._kept, self._counts)
        """Reads a block; its segments are then to be had from ``take``."""

    def take(self) -> Floats:
        """The segments (mean squares) that ``step`` has completed since the last call, KEPT_SEGMENTS at most."""
        done = int(self._counts[1])
        first = max(self._taken, done - KEPT_SEGMENTS)
        self._taken = done
        segments: Floats = self._kept[np.arange(first, done) % KEPT_SEGMENTS]
        return segments

    def measure(self, block: Block) -> Floats:
        """Read a block; returns the segments (mean squares) completed in it, most often none."""
        done = weigh(block, *self.arrays, self._counts[0])
        segments: Floats = self._out[:done].copy()
        return segments

    def reset(self) -> None:
        """Forget all sound."""
        self._z.fill(0.0)
        self._state.fill(0.0)

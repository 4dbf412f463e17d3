"""Programme loudness after ITU-R BS.1770-5 and its range after EBU Tech 3342.

A ``LoudnessMeter`` weighs the sound and keeps the mean square of each 100 ms (*segment*); the
functions below make every figure from segments.
"""

import numpy as np

from goshawk.core.stage import TINY, Block, Floats, kernel
from goshawk.units import SAMPLE_RATE_HZ

SEGMENT_FRAMES = SAMPLE_RATE_HZ // 10
SEGMENTS_PER_BLOCK = 4
"""Gating blocks of 400 ms, overlapping by 75 % (BS.1770-5 Annex 1)."""

SEGMENTS_PER_SHORT_TERM = 30
OFFSET_LUFS = -0.691
ABSOLUTE_GATE_LUFS = -70.0
RELATIVE_GATE_LU = -10.0
RANGE_RELATIVE_GATE_LU = -20.0

# BS.1770-5 Annex 1, tables 1 and 2: the coefficients at 48 kHz, as published (b0 b1 b2 a1 a2).
_SHELF = np.array(
    [1.53512485958697, -2.69169618940638, 1.19839281085285, -1.69065929318241, 0.73248077421585]
)
_HIGH_PASS = np.array([1.0, -2.0, 1.0, -1.99004745483398, 0.99007225036621])


@kernel
def _weigh(
    block: Block, shelf: Floats, high_pass: Floats, z: Floats, state: Floats, out: Floats
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
            state[0] += w * w
        state[1] += 1.0
        if state[1] >= SEGMENT_FRAMES:
            out[done] = state[0] / SEGMENT_FRAMES
            done += 1
            state[0] = state[1] = 0.0
            for c in range(channels):
                for i in range(4):
                    if abs(z[c, i]) < TINY:
                        z[c, i] = 0.0
    return done


class LoudnessMeter:
    """Weighs mono or stereo blocks; front channels count once each."""

    def __init__(self, channels: int, max_frames: int) -> None:
        self._z = np.zeros((channels, 4))
        self._state = np.zeros(2)
        self._out = np.zeros(max_frames // SEGMENT_FRAMES + 1)

    def measure(self, block: Block) -> Floats:
        """Read a block; returns the segments (mean squares) completed in it, most often none."""
        done = _weigh(block, _SHELF, _HIGH_PASS, self._z, self._state, self._out)
        segments: Floats = self._out[:done].copy()
        return segments


def lufs(mean_square: Floats | float) -> Floats:
    """Loudness of K-weighted mean squares (BS.1770-5 equation 2)."""
    value: Floats = OFFSET_LUFS + 10.0 * np.log10(np.maximum(mean_square, 1e-20))
    return value


def sliding_loudness(segments: Floats, length: int) -> Floats:
    """Loudness of every run of ``length`` segments, shape (n - length + 1,); empty if too short."""
    if len(segments) < length:
        return np.zeros(0)
    total = np.concatenate([[0.0], np.cumsum(segments)])
    return lufs((total[length:] - total[:-length]) / length)


def integrated_lufs(segments: Floats) -> float | None:
    """Gated loudness of the whole (BS.1770-5 Annex 1); None under 400 ms or if all is silent."""
    if len(segments) < SEGMENTS_PER_BLOCK:
        return None
    blocks = np.convolve(segments, np.full(SEGMENTS_PER_BLOCK, 1.0 / SEGMENTS_PER_BLOCK), "valid")
    blocks = blocks[lufs(blocks) > ABSOLUTE_GATE_LUFS]
    if not len(blocks):
        return None
    blocks = blocks[lufs(blocks) > lufs(blocks.mean()) + RELATIVE_GATE_LU]
    return float(lufs(blocks.mean()))


def loudness_range_lu(segments: Floats) -> float | None:
    """Loudness range (EBU Tech 3342): 10th to 95th percentile of gated short-term loudness."""
    short = sliding_loudness(segments, SEGMENTS_PER_SHORT_TERM)
    short = short[short > ABSOLUTE_GATE_LUFS]
    if not len(short):
        return None
    mean = float(lufs(float(np.mean(10.0 ** ((short - OFFSET_LUFS) / 10.0)))))
    short = short[short > mean + RANGE_RELATIVE_GATE_LU]
    low, high = np.percentile(short, (10, 95))
    return float(high - low)

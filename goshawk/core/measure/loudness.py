"""Programme loudness after ITU-R BS.1770-5 and its range after EBU Tech 3342.

A ``LoudnessMeter`` weighs the sound and keeps the mean square of each 100 ms (*segment*), or of each 10 ms where
the greatest momentary loudness is asked for: a tone of 400 ms begins where it likes (EBU Tech 3341, cases 10 to 14).
The functions below make every figure from segments; ``SessionLoudness`` makes those of a whole evening.
"""

import copy

import numpy as np

from goshawk.core.stage import TINY, Block, Floats, kernel
from goshawk.units import SAMPLE_RATE_HZ

SEGMENT_FRAMES = SAMPLE_RATE_HZ // 10
HOP_FRAMES = SAMPLE_RATE_HZ // 100
HOPS_PER_SEGMENT = SEGMENT_FRAMES // HOP_FRAMES
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


class LoudnessMeter:
    """Weighs blocks of one or two channels, which count once each, or of five."""

    def __init__(
        self, channels: int, max_frames: int, segment_frames: int = SEGMENT_FRAMES
    ) -> None:
        self._weights = np.array(SURROUND_WEIGHTS if channels == 5 else (1.0,) * channels)
        self._segment_frames = segment_frames
        self._z = np.zeros((channels, 4))
        self._state = np.zeros(2)
        self._out = np.zeros(max_frames // segment_frames + 1)

    def measure(self, block: Block) -> Floats:
        """Read a block; returns the segments (mean squares) completed in it, most often none."""
        done = _weigh(
            block, _SHELF, _HIGH_PASS, self._weights, self._z, self._state, self._out,
            self._segment_frames,
        )  # fmt: skip
        segments: Floats = self._out[:done].copy()
        return segments


def in_segments(hops: Floats) -> Floats:
    """Segments of 100 ms from hops of 10 ms; what is left over at the end is left out."""
    whole = len(hops) // HOPS_PER_SEGMENT
    segments: Floats = (
        hops[: whole * HOPS_PER_SEGMENT].reshape(whole, HOPS_PER_SEGMENT).mean(axis=1)
    )
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


_BIN_LU = 0.01
_BINS = 8_000
"""Loudness from the absolute gate up to +10 LUFS."""


class _Histogram:
    """How often, and with what energy, blocks of each loudness came: gates need no more, however long it runs."""

    def __init__(self) -> None:
        self.counts = np.zeros(_BINS)
        self.energies = np.zeros(_BINS)

    def add(self, mean_square: float) -> None:
        """One block; what is under the absolute gate is left out."""
        loudness = float(lufs(mean_square))
        if loudness > ABSOLUTE_GATE_LUFS:
            place = min(_BINS - 1, int((loudness - ABSOLUTE_GATE_LUFS) / _BIN_LU))
            self.counts[place] += 1.0
            self.energies[place] += mean_square

    def above(self, relative_lu: float) -> slice | None:
        """The bins above the mean of all plus ``relative_lu``; None while there are none."""
        count = self.counts.sum()
        if not count:
            return None
        gate = float(lufs(self.energies.sum() / count)) + relative_lu
        return slice(max(0, int(np.ceil((gate - ABSOLUTE_GATE_LUFS) / _BIN_LU))), _BINS)


class SessionLoudness:
    """Loudness and range of everything since it began, from histograms of 0.01 LU: within that of the exact figure,
    at a cost that does not grow."""

    def __init__(self) -> None:
        self._blocks, self._short = _Histogram(), _Histogram()
        self._last = np.zeros(0)
        self.segments = 0

    def snapshot(self) -> "SessionLoudness":
        """Everything so far, not changed by what comes."""
        return copy.deepcopy(self)

    def push(self, segments: Floats) -> None:
        """Take more segments of 100 ms."""
        for segment in segments:
            self._last = np.append(self._last, segment)[-SEGMENTS_PER_SHORT_TERM:]
            self.segments += 1
            if len(self._last) >= SEGMENTS_PER_BLOCK:
                self._blocks.add(float(self._last[-SEGMENTS_PER_BLOCK:].mean()))
            if len(self._last) == SEGMENTS_PER_SHORT_TERM:
                self._short.add(float(self._last.mean()))

    def integrated_lufs(self) -> float | None:
        """As ``integrated_lufs`` says of all segments."""
        kept = self._blocks.above(RELATIVE_GATE_LU)
        if kept is None:
            return None
        return float(lufs(self._blocks.energies[kept].sum() / self._blocks.counts[kept].sum()))

    def range_lu(self) -> float | None:
        """As ``loudness_range_lu`` says of all segments."""
        kept = self._short.above(RANGE_RELATIVE_GATE_LU)
        if kept is None:
            return None
        so_far = np.cumsum(self._short.counts[kept])
        low, high = np.searchsorted(so_far, np.array([0.10, 0.95]) * (so_far[-1] - 1) + 1)
        return float((high - low) * _BIN_LU)

"""Programme loudness after ITU-R BS.1770-5 and its range after EBU Tech 3342.

The functions below make every figure from the segments of ``dsp.k_weighting``; ``SessionLoudness`` makes those of a
whole evening.
"""

import copy

import numpy as np

from goshawk.core.dsp.k_weighting import (
    HOPS_PER_SEGMENT,
    OFFSET_LUFS,
    RELATIVE_GATE_LU,
    SEGMENTS_PER_BLOCK,
    LoudnessMeter,
)
from goshawk.core.stage import Block, Floats

SEGMENTS_PER_SHORT_TERM = 30
ABSOLUTE_GATE_LUFS = -70.0
RANGE_RELATIVE_GATE_LU = -20.0


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

    def state(self) -> list[list[float]]:
        """Everything so far, to be written down."""
        kept = [list(map(float, self._last)), [float(self.segments)]]
        for one in (self._blocks, self._short):
            places = np.flatnonzero(one.counts)
            kept += [
                places.astype(float).tolist(),
                one.counts[places].tolist(),
                one.energies[places].tolist(),
            ]
        return kept

    @classmethod
    def of_state(cls, state: list[list[float]]) -> "SessionLoudness":
        """What was written down."""
        made = cls()
        made._last, made.segments = np.array(state[0], float), int(state[1][0])
        for n, one in enumerate((made._blocks, made._short)):
            places = np.array(state[2 + 3 * n], int)
            one.counts[places], one.energies[places] = state[3 + 3 * n], state[4 + 3 * n]
        return made

    def break_off(self) -> None:
        """What comes next does not follow what was: no block goes over the gap."""
        self._last = np.zeros(0)

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


def loudness_lufs(sound: Block) -> float | None:
    """Integrated loudness; None of silence."""
    meter = LoudnessMeter(sound.shape[1], len(sound))
    return integrated_lufs(meter.measure(np.ascontiguousarray(sound)))

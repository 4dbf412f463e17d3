"""Limiter: the ceiling. Nothing passes above it, not even between the samples.

Signal flow, twice in a row: peaks between the samples (eight-fold oversampled) → needed gain, with
exponential release → the least of the look-ahead window → two moving averages → times the delayed
input. A moving average of minima is never above any gain that was needed inside its window, so the
gain is down in full before the peak arrives, and moves without corners. The scheme is the
look-ahead limiter of U. Zölzer (ed.), *DAFX*, 2nd ed. (2011), chapter 4, with the true-peak detector
of ITU-R BS.1770-5 Annex 2 made finer. A second, shorter pass removes the few tenths of a dB by
which a moving gain can lift a peak between two samples.

The averages are summed in whole numbers (gains in units of 2^-40): exact however long it runs.
"""

import numpy as np

from goshawk.core.compiled import kernel
from goshawk.core.dsp.oversampling import (
    LIMITER_PHASES,
    Phases,
    between_samples,
    carry,
    gains_of,
    spans_of,
)
from goshawk.core.dsp.sliding import Integers, SlidingMaximum, sliding_maximum
from goshawk.core.settings import Settings, number
from goshawk.core.stage import (
    Block,
    Floats,
    Glide,
    Stage,
    StageReading,
    glide,
    greatest,
    is_gliding,
)
from goshawk.core.steps import Samples, Step
from goshawk.units import db_to_linear, linear_to_db, ms_to_frames, one_pole_coefficient

MAIN_LOOK_AHEAD_MS = 1.2
SECOND_LOOK_AHEAD_MS = 0.35
MARGIN_DB = 0.05
"""Aimed below the ceiling, for what an eight-fold detector can overlook near half the rate."""

ONE = float(2**40)


LOWEST_CEILING_DBTP = -30.0


class LimiterSettings(Settings):
    """Settings of the limiter."""

    ceiling_dbtp: float = number(
        -3.0,
        LOWEST_CEILING_DBTP,
        0.0,
        "dBTP",
        "Ceiling",
        "Nothing goes above this, not even between the samples.",
        reads=(
            (-30, "stands very low"),
            (-9, "leaves much room above the voice"),
            (-4, "leaves room for the sum and for encoders"),
            (-1.5, "leaves little room for encoders"),
            (-0.5, "leaves none: encoders may clip"),
        ),
    )
    release_ms: float = number(
        80.0,
        5.0,
        1000.0,
        "ms",
        "Release",
        "How quickly the level comes back after a peak.",
        step=5.0,
        taper="log",
        reads=(
            (5, "comes back within the wave; loud words may be rough"),
            (40, "comes back between syllables"),
            (250, "stays down after a peak"),
        ),
    )


CALM = 3
"""Of a pass: frames since it had something to hold, or its ceiling moved."""


@kernel
def _only_delay(block: Block, delayed: Block, places: Integers) -> None:
    """Through the ring of input, in place."""
    at, size, channels = places[2], delayed.shape[0], block.shape[1]
    samples, ring = block.reshape(-1), delayed.reshape(-1)
    start = 0
    while start < block.shape[0]:
        run = min(block.shape[0] - start, size - at)
        first, place = start * channels, at * channels
        for i in range(run * channels):
            oldest = ring[place + i]
            ring[place + i] = samples[first + i]
            samples[first + i] = oldest
        start += run
        at = at + run if at + run < size else 0
    places[2] = at


@kernel
def _limit(
    block: Block,
    peaks: Samples,
    delayed: Block,
    state: Floats,
    values: Floats,
    ages: Integers,
    ends: Integers,
    first: Integers,
    second: Integers,
    sums: Integers,
    places: Integers,
    release: Floats,
    now: Floats,
    between: Floats,
    target: Floats,
    a: float,
) -> None:
    """State: released gain, lowest gain since the last reading, last peak, CALM. ``delayed`` is the ring of input;
    ``first`` and ``second`` are the rings of the two averages. Places: of the three rings."""
    frames, channels = block.shape
    to_first_mean = 1.0 / first.shape[0]
    to_second_mean = 1.0 / second.shape[0]
    size = delayed.shape[0]
    is_moving = is_gliding(now, between, target)
    highest = max(state[2], greatest(peaks[:frames]))
    is_resting = (
        frames > 0
        and not is_moving
        and highest <= now[0]
        and state[0] == 1.0
        and sums[0] == ONE * first.shape[0]
        and sums[1] == ONE * second.shape[0]
        and ends[1] == 1
        and values[ends[0]] == -1.0
    )
    if is_resting:
        # Nothing to hold, and nothing held of late: what it would come to, without the way there.
        state[2] = float(peaks[frames - 1])
        ends[2] += frames
        ages[ends[0]] = ends[2] - 1
        places[0] = (places[0] + frames) % first.shape[0]
        places[1] = (places[1] + frames) % second.shape[0]
        _only_delay(block, delayed, places)
        state[CALM] += frames
        return
    state[CALM] = 0.0
    for n in range(frames):
        if is_moving:
            glide(now, between, target, a)
        peak = max(float(peaks[n]), state[2])
        state[2] = float(peaks[n])
        needed = now[0] / peak if peak > now[0] else 1.0
        gain = 1.0 - (1.0 - state[0]) * release[0]
        if gain > 1.0 - 1e-9:
            gain = 1.0
        gain = min(gain, needed)
        state[0] = gain
        least = -sliding_maximum(-gain, values, ages, ends)
        fresh = np.int64(least * ONE)
        sums[0] += fresh - first[places[0]]
        first[places[0]] = fresh
        places[0] = places[0] + 1 if places[0] + 1 < first.shape[0] else 0
        fresh = np.int64(sums[0] * to_first_mean)
        sums[1] += fresh - second[places[1]]
        second[places[1]] = fresh
        places[1] = places[1] + 1 if places[1] + 1 < second.shape[0] else 0
        gain = sums[1] * to_second_mean / ONE
        state[1] = min(state[1], gain)
        for c in range(channels):
            oldest = delayed[places[2], c]
            delayed[places[2], c] = block[n, c]
            block[n, c] = np.float32(oldest * gain)
        places[2] = places[2] + 1 if places[2] + 1 < size else 0


_GAINS = gains_of(LIMITER_PHASES)

_SPANS = spans_of(LIMITER_PHASES)


@kernel
def _detect(
    block: Block,
    history: Phases,
    line: Samples,
    total: Samples,
    phases: Phases,
    spans: Integers,
    gains: Floats,
    peaks: Samples,
    now: Floats,
    between: Floats,
    target: Floats,
    before: Floats,
    calm_frames: float,
) -> None:
    """The peaks that may reach the ceiling, wherever it is on its way. If the pass ahead, whose state is ``before``, has
    let everything through for ``calm_frames``, it has found none in what comes now, and they are not looked for again."""
    if before[CALM] >= calm_frames + block.shape[0]:
        peaks[: block.shape[0]] = 0.0
        carry(block, history)
        return
    lowest = min(now[0], between[0], target[0])
    between_samples(block, history, line, total, phases, spans, gains, peaks, lowest)


class _Pass:
    """One pass: detector, gain and delay."""

    def __init__(
        self,
        channels: int,
        max_frames: int,
        look_ahead_frames: int,
        release: Floats,
        g: Glide,
        ahead: "_Pass | None",
    ) -> None:
        """``ahead`` is the pass whose output this one gets."""
        taps = LIMITER_PHASES.shape[1]
        self.latency_frames = taps // 2 + look_ahead_frames
        self._history = np.zeros((channels, taps - 1), np.float32)
        self._delayed = np.zeros((self.latency_frames, channels), np.float32)
        self._state = np.zeros(4)
        # A peak's own frame and its two neighbours lie inside every window.
        self._least = SlidingMaximum(look_ahead_frames + 3)
        self._first = np.zeros(look_ahead_frames // 2 + 1, np.int64)
        self._second = np.zeros(look_ahead_frames - look_ahead_frames // 2 + 1, np.int64)
        self._sums = np.zeros(2, np.int64)
        self._places = np.zeros(3, np.int64)
        peaks = np.zeros(max_frames, np.float32)
        before = ahead._state if ahead else np.zeros(4)
        calm_frames = ahead.latency_frames + taps if ahead else np.inf
        self.steps = (
            Step(
                _detect, self._history, np.zeros(taps - 1 + max_frames, np.float32),
                np.zeros(max_frames, np.float32), LIMITER_PHASES, _SPANS, _GAINS, peaks, g.now, g.between, g.target,
                before, calm_frames,
            ),
            Step(
                _limit, peaks, self._delayed, self._state, *self._least.arrays, self._first, self._second,
                self._sums, self._places, release, g.now, g.between, g.target, g.coefficient,
            ),
        )  # fmt: skip
        self.reset()

    def take_lowest_gain(self) -> float:
        lowest = float(self._state[1])
        self._state[1] = 1.0
        return lowest

    def reset(self) -> None:
        self._history.fill(0.0)
        self._delayed.fill(0.0)
        self._state[:] = (1.0, 1.0, 0.0, 0.0)
        self._least.reset()
        self._places.fill(0)
        self._first.fill(int(ONE))
        self._second.fill(int(ONE))
        self._sums[:] = (int(ONE) * self._first.size, int(ONE) * self._second.size)


class Limiter(Stage[LimiterSettings]):
    """Holds the true peak at the ceiling. Latency: both look-aheads and detectors."""

    has_latency = True

    def __init__(self, settings: LimiterSettings, channels: int, max_frames: int) -> None:
        self._release = np.zeros(1)
        look_aheads = [ms_to_frames(ms) for ms in (MAIN_LOOK_AHEAD_MS, SECOND_LOOK_AHEAD_MS)]
        self._glides = [Glide(1) for _ in look_aheads]
        self._passes: list[_Pass] = []
        for frames, one in zip(look_aheads, self._glides, strict=True):
            ahead = self._passes[-1] if self._passes else None
            self._passes.append(_Pass(channels, max_frames, frames, self._release, one, ahead))
        self.steps = tuple(step for one in self._passes for step in one.steps)
        self.latency_frames = sum(p.latency_frames for p in self._passes)
        super().__init__(settings, channels, max_frames)

    def apply(self, settings: LimiterSettings) -> None:
        self.settings = settings
        ceiling = db_to_linear(settings.ceiling_dbtp - MARGIN_DB)
        for ceiling_glide in self._glides:
            ceiling_glide.set(ceiling)
        self._release[0] = one_pole_coefficient(settings.release_ms)

    def reset(self) -> None:
        for one, ceiling_glide in zip(self._passes, self._glides, strict=True):
            one.reset()
            ceiling_glide.settle()

    def take_reading(self) -> StageReading:
        gain = self._passes[0].take_lowest_gain() * self._passes[1].take_lowest_gain()
        return {"gain_reduction_db": round(max(0.0, -linear_to_db(gain)), 1)}

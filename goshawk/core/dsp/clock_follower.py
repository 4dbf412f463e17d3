"""Sound between two clocks, in compiled code: the engine's and a device's, which run at nearly the same pace or at another
rate. Nothing waits, nothing is made, and no frame is lost or repeated as long as both sides keep their time.

Frames lie in a ring that one side writes and the other reads (``Ring``). The engine's side converts: it interpolates
between frames by a windowed sinc (J. O. Smith, "Digital Audio Resampling", https://ccrma.stanford.edu/~jos/resample/:
a Kaiser-windowed sinc in a table of phases, linear between two of them), at a ratio that a control loop steers, so that the
age of what is given out stays where it was set. The loop is that of ``rate_matcher`` (after F. Adriaensen, "Controlling
adaptive resampling", Linux Audio Conference 2012), of second order and critically damped.
"""

from functools import cache

import numpy as np

from goshawk.core.compiled import kernel, summing
from goshawk.core.dsp.frame_ring import (
    AT_NS,
    DROPOUTS,
    IS_PRIMED,
    MASK,
    OVERRUNS,
    READ,
    RING_FRAMES,
    TARGET,
    WRITTEN,
    Ring,
    put,
)
from goshawk.core.dsp.rate_matcher import (
    FIRST_LOOP_RAD_PER_S,
    FIRST_S,
    LOOP_RAD_PER_S,
    MOST_CORRECTION,
    SMOOTHING_S,
)
from goshawk.core.stage import Block, Floats
from goshawk.core.steps import Integers, Step
from goshawk.units import SAMPLE_RATE_HZ

TAPS = 48
PHASES = 512
KAISER_BETA = 9.0
"""Some 90 dB: with this many taps all below 20 kHz passes, and what folds back lies above."""

LONGEST_TARGET_MS = 250.0

MOST_DRIFT = 0.001
"""No clock of a sound device is farther off than that."""

AGE, INTEGRAL, CORRECTION, RATIO, PLACE, RUN_FRAMES, IS_RUNNING, RATE, FOLLOWER_FIELDS = range(9)
"""A follower's numbers: the smoothed age (frames of the device), the loop's integral and its last correction, frames read
per frame given out when both clocks are true, the place between frames, frames since it began, whether it runs, and the
device's rate in Hz."""


@cache
def phases_for(ratio: float) -> Block:
    """The table of phases, shape (PHASES + 1, taps), for reading ``ratio`` frames per frame given out: each row lets
    constants pass unchanged. Read faster, what would fold back is taken away first."""
    stretch = max(1.0, ratio)
    taps = int(-(-TAPS * stretch // 8) * 8)
    place = np.arange(taps)[None, :] - (taps // 2 - 1)
    at = (place - np.arange(PHASES + 1)[:, None] / PHASES) / stretch
    half = taps / 2.0 / stretch
    window = np.i0(KAISER_BETA * np.sqrt(np.clip(1.0 - (at / half) ** 2, 0.0, 1.0)))
    # A rate that is nearly the same needs no narrower band, but one that is read faster does.
    rows = np.sinc(at) * window
    rows /= rows.sum(axis=1, keepdims=True)
    return np.ascontiguousarray(rows, np.float32)


@summing
def _between(ring: Block, start: int, phases: Block, place: float, out: Block, n: int) -> None:
    """Frame ``n`` of ``out``, of one channel or two: the frames from ``start`` on weighed by the phase at ``place`` (0 to 1)."""
    row = place * PHASES
    phase = int(row)
    share = np.float32(row - phase)
    low, high = phases[phase], phases[phase + 1]
    taps = low.shape[0]
    first, second = ring[0, start : start + taps], ring[1, start : start + taps]
    x = y = np.float32(0.0)
    for k in range(taps):
        weight = low[k] + share * (high[k] - low[k])
        x += weight * first[k]
        y += weight * second[k]
    out[n, 0] = x
    if out.shape[1] > 1:
        out[n, 1] = y


@kernel
def _steer(state: Floats, age: float, target: float, seconds: float) -> None:
    """The loop: a smoothed age against its target, to a correction of speed; both in frames of the device."""
    state[AGE] += (age - state[AGE]) * min(1.0, seconds / SMOOTHING_S)
    error_s = (state[AGE] - target) / state[RATE]
    loop = FIRST_LOOP_RAD_PER_S if state[RUN_FRAMES] < FIRST_S * SAMPLE_RATE_HZ else LOOP_RAD_PER_S
    correction = 2.0 * loop * error_s + state[INTEGRAL]
    if abs(correction) < MOST_CORRECTION:
        # What cannot be mended by drift is mended at the greatest speed, and says nothing of the clocks.
        integral = state[INTEGRAL] + loop**2 * error_s * seconds
        state[INTEGRAL] = max(-MOST_DRIFT, min(MOST_DRIFT, integral))
    state[CORRECTION] = max(-MOST_CORRECTION, min(MOST_CORRECTION, correction))


@kernel
def _pad(ring: Block, numbers: Integers, frames: int) -> None:
    """Write so much silence; nothing if it is less than none."""
    for n in range(frames):
        put(ring, numbers[WRITTEN] + n, 0.0, 0.0)
    numbers[WRITTEN] += max(0, frames)


@kernel
def _follow_out(
    block: Block,
    history: Block,
    given: Block,
    counts: Integers,
    ring: Block,
    numbers: Integers,
    phases: Block,
    state: Floats,
    now_ns: Integers,
) -> None:
    """A block of the engine's into a device's ring. ``counts`` has how many frames of ``history`` are written and read."""
    frames, taps = block.shape[0], phases.shape[1]
    for n in range(frames):
        put(history, counts[0] + n, float(block[n, 0]), float(block[n, block.shape[1] - 1]))
    counts[0] += frames
    target = numbers[TARGET]
    waiting = numbers[WRITTEN] - numbers[READ]
    passed = 0.0
    if numbers[IS_PRIMED] == 1:
        passed = min(0.1, max(0.0, (now_ns[0] - numbers[AT_NS]) * 1e-9)) * state[RATE]
    else:
        # It has not begun to play, or ran dry: what is to wait is made up by silence, so that the delay is as before.
        state[IS_RUNNING] = 0.0
        _pad(ring, numbers, target - waiting)
    if numbers[IS_PRIMED] == 1:
        if state[IS_RUNNING] == 0.0:
            # Its first block: what waits is made exactly what is to wait.
            off = int(waiting - passed) - target
            _pad(ring, numbers, -off)
            numbers[WRITTEN] -= max(0, off)
            waiting -= off
            state[IS_RUNNING], state[AGE], state[RUN_FRAMES] = 1.0, target, 0.0
        _steer(state, waiting - passed, target, frames / SAMPLE_RATE_HZ)
    state[RUN_FRAMES] += frames
    step = state[RATIO] * (1.0 + state[CORRECTION])
    place, read, written = state[PLACE], counts[1], numbers[WRITTEN]
    while read + taps <= counts[0]:
        _between(history, read & MASK, phases, place, given, 0)
        put(ring, written, float(given[0, 0]), float(given[0, 1]))
        written += 1
        place += step
        whole = int(place)
        read += whole
        place -= whole
    state[PLACE] = place
    counts[1] = read
    numbers[WRITTEN] = written


@kernel
def _follow_in(
    block: Block,
    ring: Block,
    numbers: Integers,
    phases: Block,
    state: Floats,
    now_ns: Integers,
) -> None:
    """A block for the engine out of a device's ring: silence while there is not enough."""
    frames, taps = block.shape[0], phases.shape[1]
    target, written, read = numbers[TARGET], numbers[WRITTEN], numbers[READ]
    passed = min(0.1, max(0.0, (now_ns[0] - numbers[AT_NS]) * 1e-9)) * state[RATE]
    needed = int(frames * state[RATIO] * (1.0 + MOST_CORRECTION)) + taps + 1
    waiting = written - read
    if waiting > RING_FRAMES // 2:
        numbers[OVERRUNS] += state[IS_RUNNING] == 1.0
        state[IS_RUNNING] = 0.0
    if state[IS_RUNNING] == 1.0 and waiting < needed:
        state[IS_RUNNING] = 0.0
        numbers[DROPOUTS] += 1
    if state[IS_RUNNING] == 0.0:
        if written > 0 and waiting + passed >= target and waiting >= needed:
            # Begin at the target: what is older is left out.
            read += max(0, int(waiting + passed) - target)
            read = min(read, written - needed)
            waiting = written - read
            state[IS_RUNNING], state[AGE], state[RUN_FRAMES], state[PLACE] = 1.0, target, 0.0, 0.0
        else:
            for n in range(frames):
                for c in range(block.shape[1]):
                    block[n, c] = np.float32(0.0)
            return
    _steer(state, waiting + passed, target, frames / SAMPLE_RATE_HZ)
    state[RUN_FRAMES] += frames
    step = state[RATIO] * (1.0 + state[CORRECTION])
    place = state[PLACE]
    for n in range(frames):
        _between(ring, read & MASK, phases, place, block, n)
        place += step
        whole = int(place)
        read += whole
        place -= whole
    state[PLACE] = place
    numbers[READ] = read


class Follower:
    """The engine's side of a ring. ``now_ns`` of shape (1,) has the time of each block, by the clock that the device's
    side gives its times by."""

    def __init__(
        self,
        ring: Ring,
        rate_hz: float,
        target_ms: float,
        now_ns: Integers,
        *,
        is_output: bool,
    ) -> None:
        self.ring = ring
        self.rate_hz = rate_hz
        self._is_output = is_output
        self._state = np.zeros(FOLLOWER_FIELDS)
        ratio = SAMPLE_RATE_HZ / rate_hz if is_output else rate_hz / SAMPLE_RATE_HZ
        self._state[RATIO], self._state[RATE] = ratio, rate_hz
        phases = phases_for(ratio)
        ring.numbers[TARGET] = round(min(LONGEST_TARGET_MS, target_ms) / 1000.0 * rate_hz)
        self._taps_ms = phases.shape[1] / 2.0 / rate_hz * 1000.0
        numbers, state = ring.numbers, self._state
        if is_output:
            history = np.zeros_like(ring.sound)
            counts = np.array([phases.shape[1], 0], np.int64)
            self.step = Step(
                _follow_out, history, np.zeros((1, 2), np.float32), counts, ring.sound, numbers, phases, state, now_ns
            )  # fmt: skip
        else:
            self.step = Step(_follow_in, ring.sound, numbers, phases, state, now_ns)

    @property
    def target_ms(self) -> float:
        """How old sound is to be where it leaves the ring. Whoever finds that too short may make it longer in the ring."""
        return float(self.ring.numbers[TARGET] / self._state[RATE] * 1000.0)

    @property
    def latency_ms(self) -> float:
        """From one side to the other: what waits now (what is to wait, while nothing passes), and for an output the half of
        the taps that are to come (of an input they are among what waits)."""
        waits_ms = self.age_ms if self.is_running else self.target_ms
        return waits_ms + (self._taps_ms if self._is_output else 0.0)

    @property
    def age_ms(self) -> float:
        """The smoothed age of what is given out."""
        return float(self._state[AGE] / self._state[RATE] * 1000.0)

    @property
    def clock_ppm(self) -> float:
        """By how much the device's clock runs faster than the engine's, as far as is known."""
        found = float(self._state[INTEGRAL]) * 1e6
        return -found if self._is_output else found

    @property
    def is_running(self) -> bool:
        """Whether sound passes."""
        return bool(self._state[IS_RUNNING] == 1.0 and self.ring.numbers[IS_PRIMED] == 1)

"""Softens short clatter (keys, clicks) under and between words, by where it stands out in time.

The sound is looked at in ticks of 2.5 ms and in bands. A stroke is a tick whose power, in a band above
the lowest, stands out from all that was up to 20 ms before it and from what comes 10 to 15 ms after it:
a click is over by then, while a voice's onset stays, and its pulses (down to 70 Hz) have one before or after
them. The band is then held at what it was around the stroke. In a pause the thud that comes with a
stroke is taken from the lowest band if it falls away by itself; a voice that sets in meanwhile ends that.

After the detection of impulses by comparison with their surroundings: S. J. Godsill and
P. J. W. Rayner, *Digital Audio Restoration* (Springer 1998), chapter 5; the treatment, by a gain in
bands, is ours.

Bands are differences of second-order high-passes, so they add up to the sound itself, and a sound
without clatter passes untouched.
"""

import math

import numpy as np

from goshawk.core.compiled import kernel
from goshawk.core.dsp.side_chain import high_pass_coefficients
from goshawk.core.stage import TINY, Block, Floats
from goshawk.core.steps import Step
from goshawk.units import SILENCE_LINEAR, ms_to_frames

TICK_FRAMES = ms_to_frames(2.5)
BAND_EDGES_HZ = (500.0, 2000.0, 5000.0)
BANDS = len(BAND_EDGES_HZ) + 1
AHEAD_TICKS = 6
"""A stroke is judged when so many ticks after it are known."""

BEFORE_TICKS = 8
SOON_TICKS = 4
"""From here to AHEAD_TICKS a click is over."""

STANDS_OUT = 10.0**0.6
THUD_STANDS_OUT = 10.0**0.6
LONGEST_THUD_TICKS = 20
FLOOR_RISE = 1.002
PAUSE_OVER_FLOOR = 10.0**2.0
"""A thud is told from a voice's pulses only in a pause: where the lowest band was no more than 20 dB above its
floor, which is its least power over 25 ms, let rise by 3 dB in 0.9 s."""

LOOK_AHEAD_FRAMES = (AHEAD_TICKS + 2) * TICK_FRAMES
"""The gain moves over the tick before the stroke, and the stroke's tick is just complete."""

_KEPT = 32
FRAME, TICK, THUD_LEFT, THUD_PEAK, THUD_BEFORE, STROKES, FLOOR, SMOOTH = range(8)


@kernel
def _greatest(power: Floats, first: int, last: int) -> float:
    greatest = 0.0
    for t in range(first, last + 1):
        greatest = max(greatest, power[t % _KEPT])
    return greatest


@kernel
def _hold(gains: Floats, power: Floats, tick: int, level: float, least_gain: float) -> None:
    """At ``level`` in one band in one tick, if it is louder."""
    place = tick % _KEPT
    wanted = math.sqrt(level / max(power[place], 1e-30))
    gains[place] = min(gains[place], max(least_gain, min(1.0, wanted)))


@kernel
def _judge(power: Floats, gains: Floats, state: Floats, least_gain: float) -> None:
    """A tick is complete: is the one AHEAD_TICKS before it a stroke? Arrays of (bands, _KEPT)."""
    newest = int(state[TICK])
    for b in range(power.shape[0]):
        gains[b, newest % _KEPT] = 1.0
    at = newest - AHEAD_TICKS
    if at < BEFORE_TICKS:
        return
    place = at % _KEPT
    is_stroke = False
    for b in range(1, power.shape[0]):
        here = power[b, place]
        if here < power[b, (at - 1) % _KEPT] or here < power[b, (at + 1) % _KEPT]:
            continue
        before = _greatest(power[b], at - BEFORE_TICKS, at - 2)
        after = _greatest(power[b], at + SOON_TICKS, newest)
        if here > STANDS_OUT * before and here > STANDS_OUT * after:
            is_stroke = True
            for t in range(at - 1, newest + 1):
                share = (t - at + 1) / (AHEAD_TICKS + 1)
                _hold(gains[b], power[b], t, max(before * (1.0 - share), after), least_gain)
    low, low_gains = power[0], gains[0]
    state[SMOOTH] += 0.1 * (low[place] - state[SMOOTH])
    state[FLOOR] = max(min(state[SMOOTH], state[FLOOR] * FLOOR_RISE), SILENCE_LINEAR**2)
    if is_stroke:
        state[STROKES] += 1.0
        before = _greatest(low, at - BEFORE_TICKS, at - 2)
        peak = _greatest(low, at - 1, at + 3)
        after = _greatest(low, newest - 1, newest)
        is_pause = before < PAUSE_OVER_FLOOR * state[FLOOR]
        if is_pause and peak > THUD_STANDS_OUT * before and after < 0.5 * peak:
            state[THUD_LEFT] = LONGEST_THUD_TICKS
            state[THUD_PEAK] = peak
            state[THUD_BEFORE] = before
            _hold(low_gains, low, at - 1, before, least_gain)
    if state[THUD_LEFT] > 0.0:
        state[THUD_PEAK] = max(low[place], state[THUD_PEAK] * 0.85)
        ahead = _greatest(low, at + SOON_TICKS, newest)
        if ahead > state[THUD_PEAK] or (
            low[place] < 1.5 * state[THUD_BEFORE] and state[THUD_LEFT] < LONGEST_THUD_TICKS - 4
        ):
            state[THUD_LEFT] = 0.0
        else:
            state[THUD_LEFT] -= 1.0
            _hold(low_gains, low, at, state[THUD_BEFORE], least_gain)


@kernel
def _filter(lines: Floats, frames: int, k: Floats, z: Floats) -> None:
    """The high-passes over the first of the lines, each into one of the others: side by side, since each waits for itself."""
    sound = lines[0]
    for n in range(frames):
        for b in range(k.shape[0]):
            y = k[b, 0] * sound[n] + z[b, 0]
            z[b, 0] = k[b, 1] * sound[n] - k[b, 3] * y + z[b, 1]
            z[b, 1] = k[b, 2] * sound[n] - k[b, 4] * y
            lines[b + 1, n] = y
    for b in range(k.shape[0]):
        for i in range(2):
            z[b, i] = z[b, i] if abs(z[b, i]) > TINY else 0.0


@kernel
def _split(lines: Floats, frames: int) -> None:
    """From what is above each edge to what lies between two, in place."""
    for b in range(lines.shape[0] - 1):
        for n in range(frames):
            lines[b, n] -= lines[b + 1, n]


@kernel
def _listen(
    block: Block,
    lines: Floats,
    k: Floats,
    z: Floats,
    sums: Floats,
    power: Floats,
    gains: Floats,
    state: Floats,
    ramps: Floats,
    least_gain: Floats,
) -> None:
    """Gains for every frame of what comes out LOOK_AHEAD_FRAMES later, into ``ramps`` (bands, frames).
    ``lines`` (bands, frames) holds the sound, and what is above each edge."""
    frames, channels = block.shape
    bands = sums.shape[0]
    for n in range(frames):
        mono = 0.0
        for c in range(channels):
            mono += float(block[n, c])
        lines[0, n] = mono / channels
    _filter(lines, frames, k, z)
    _split(lines, frames)
    start = 0
    while start < frames:
        tick = int(state[TICK])
        done = int(state[FRAME])
        count = min(frames - start, TICK_FRAMES - done)
        leaving = tick - AHEAD_TICKS - 2  # A whole number of ticks later than what comes in.
        for b in range(bands):
            # The lower of the tick's own gain and its neighbour's on either side, in a straight line.
            own = gains[b, leaving % _KEPT]
            first = min(own, gains[b, (leaving - 1) % _KEPT])
            last = min(own, gains[b, (leaving + 1) % _KEPT])
            ramp = ramps[b, start : start + count]
            for i in range(count):
                ramp[i] = first + (last - first) * (done + i) / TICK_FRAMES
        for n in range(start, start + count):
            for b in range(bands):
                sums[b] += lines[b, n] * lines[b, n]
        start += count
        state[FRAME] += count
        if state[FRAME] >= TICK_FRAMES:
            for b in range(bands):
                power[b, tick % _KEPT] = sums[b] / TICK_FRAMES + SILENCE_LINEAR**2
                sums[b] = 0.0
            _judge(power, gains, state, least_gain[0])
            state[FRAME] = 0.0
            state[TICK] += 1.0


@kernel
def _soften(block: Block, lines: Floats, k: Floats, z: Floats, ramps: Floats) -> None:
    """Take the bands down by their gains, in place. ``z`` of shape (channels, edges, 2)."""
    frames, channels = block.shape
    for c in range(channels):
        for n in range(frames):
            lines[0, n] = float(block[n, c])
        _filter(lines, frames, k, z[c])
        _split(lines, frames)
        for b in range(ramps.shape[0]):
            if _takes(ramps[b, :frames]):
                for n in range(frames):
                    block[n, c] = np.float32(block[n, c] - (1.0 - ramps[b, n]) * lines[b, n])


@kernel
def _takes(ramp: Floats) -> bool:
    """Whether anything of a band is taken."""
    count = 0
    for n in range(ramp.shape[0]):
        count += ramp[n] < 1.0
    return count > 0


class ClatterSoftener:
    """Listens to a sound and softens the clatter in it when it comes by LOOK_AHEAD_FRAMES later."""

    def __init__(self, channels: int, max_frames: int) -> None:
        self._k = np.array([high_pass_coefficients(hz) for hz in BAND_EDGES_HZ])
        self._heard_z = np.zeros((BANDS - 1, 2))
        self._z = np.zeros((channels, BANDS - 1, 2))
        self._sums = np.zeros(BANDS)
        self._power = np.zeros((BANDS, _KEPT))
        self._gains = np.ones((BANDS, _KEPT))
        self._state = np.zeros(8)
        self._lines = np.zeros((BANDS, max_frames))
        self._state[FLOOR] = 1.0
        self._ramps = np.ones((BANDS, max_frames))
        self._least_gain = np.ones(1)
        self.listening = Step(
            _listen, self._lines, self._k, self._heard_z, self._sums, self._power, self._gains,
            self._state, self._ramps, self._least_gain,
        )  # fmt: skip
        """Hears a block (frames, channels) before it is delayed, and leaves it as it is."""
        self.softening = Step(_soften, self._lines, self._k, self._z, self._ramps)
        """Changes the delayed block in place, as long as the one that was heard last."""

    def set_least_gain(self, least_gain: float) -> None:
        """What is taken away at most, linear."""
        self._least_gain[0] = least_gain

    def take_strokes(self) -> int:
        """Strokes since the last call."""
        strokes = int(self._state[STROKES])
        self._state[STROKES] = 0.0
        return strokes

    def reset(self) -> None:
        """Forget all sound."""
        for array in (self._heard_z, self._z, self._sums, self._power, self._state):
            array.fill(0.0)
        self._gains.fill(1.0)
        self._state[FLOOR] = 1.0

"""Speech activity: decided once, at the microphone, for each hop of 10 ms.

The power between 150 Hz and 4 kHz is compared with the noise floor, which is followed by minimum
statistics: the least smoothed power of the last seconds is the noise, because speech pauses
(R. Martin, "Noise Power Spectral Density Estimation Based on Optimal Smoothing and Minimum
Statistics", IEEE Trans. Speech Audio Process. 9(5), 2001; here on one band). Speech begins when the
power stands ON_DB above the floor in three of four hops, so that a key's click does not count;
it ends when it stayed below OFF_DB for TAIL_HOPS.

Where a suppressor that knows voices hears the same sound, nothing counts that it takes for none: typing, breath. It says so of what
it has heard by then, and a voice is held for a syllable's gap.

A microphone always has noise: a hop with a run of digital silence is a dropout, or a source that has not begun. It
is neither speech nor pause, and the floor is kept over it; after LONGEST_GAP_HOPS it is looked for anew.
"""

import math

import numpy as np
from numpy.typing import NDArray

from goshawk.core.compiled import kernel
from goshawk.core.dsp.side_chain import filter_sample, high_pass_coefficients
from goshawk.core.measure.levels import HOP_FRAMES, KEPT_HOPS, PAUSE, SPEECH, TAIL, hop_places
from goshawk.core.stage import Block, Floats
from goshawk.core.steps import Step
from goshawk.units import SAMPLE_RATE_HZ, db_to_power

ON_DB = 10.0
OFF_DB = 6.0
TAIL_HOPS = 20
SUB_WINDOWS = 10
SUB_WINDOW_HOPS = 40
"""The floor is the minimum of 10 windows of 0.4 s: longer than most sentences run without a pause."""

MINIMUM_BIAS_DB = 2.0
"""The minimum of a smoothed noise power lies about this much under its mean."""

LEAST_FLOOR_DBFS = -90.0
"""Digital silence counts as a floor of this: what 16 bits can hold."""

NOTHING_LINEAR = 1e-7
"""Less than the smallest step of 24 bits."""

NOTHING_FRAMES = 120
"""So many frames of nothing in a row are no sound of a microphone, however quiet its room."""

LONGEST_GAP_HOPS = 1000

LEAST_VOICE = 0.1
VOICE_PER_HOP = 0.86
"""What is left, from hop to hop, of how likely it was a voice: a fifth after 0.1 s."""

_LEAST_FLOOR = db_to_power(LEAST_FLOOR_DBFS)
_BIAS = db_to_power(MINIMUM_BIAS_DB)
_ON = db_to_power(ON_DB)
_OFF = db_to_power(OFF_DB)
_LOW_PASS = 1.0 - math.exp(-2.0 * math.pi * 4000.0 / SAMPLE_RATE_HZ)

SUM, COUNT, LOW, SMOOTH, RECENT, IN_WINDOW, SUB, LOUD, SPEAKING, QUIET, DONE = range(11)
NOTHING, IS_GAP, GAPS, VOICE, FIELDS = range(11, 16)
"""Frames of nothing so far; whether this hop holds too many; such hops in a row; how likely a voice was heard
lately; and how many numbers there are."""


@kernel
def _decide(state: Floats, minima: Floats, kept: NDArray[np.int8], voice: Floats) -> None:
    """A hop is complete: its power is in SUM. LOUD holds the last four comparisons as bits."""
    if state[IS_GAP] > 0.0:
        state[GAPS] += 1.0
        state[LOUD] = 0.0
        state[QUIET] += 1.0
        if state[QUIET] > TAIL_HOPS:
            state[SPEAKING] = 0.0
        if state[GAPS] == LONGEST_GAP_HOPS:
            state[SMOOTH] = 0.0
            state[RECENT] = np.inf
            minima[:] = np.inf
        kept[int(state[DONE]) % KEPT_HOPS] = TAIL
        state[DONE] += 1.0
        return
    state[GAPS] = 0.0
    power = state[SUM] / HOP_FRAMES
    smooth = power if state[SMOOTH] == 0.0 else 0.7 * state[SMOOTH] + 0.3 * power
    state[SMOOTH] = smooth
    state[RECENT] = min(state[RECENT], smooth)
    state[IN_WINDOW] += 1.0
    if state[IN_WINDOW] >= SUB_WINDOW_HOPS:
        minima[int(state[SUB])] = state[RECENT]
        state[SUB] = (state[SUB] + 1.0) % SUB_WINDOWS
        state[RECENT] = smooth
        state[IN_WINDOW] = 0.0
    least = state[RECENT]
    for i in range(SUB_WINDOWS):
        least = min(least, minima[i])
    floor = max(least * _BIAS, _LEAST_FLOOR)
    state[VOICE] = max(voice[0], VOICE_PER_HOP * state[VOICE])
    is_voice = state[VOICE] >= LEAST_VOICE
    loud = (int(state[LOUD]) << 1) & 15
    if is_voice and power > floor * _ON:
        loud |= 1
    state[LOUD] = loud
    count = (loud & 1) + (loud >> 1 & 1) + (loud >> 2 & 1) + (loud >> 3 & 1)
    if count >= 3:
        state[SPEAKING] = 1.0
    if is_voice and power > floor * _OFF:
        state[QUIET] = 0.0
    else:
        state[QUIET] += 1.0
    if state[QUIET] > TAIL_HOPS:
        state[SPEAKING] = 0.0
    said = PAUSE
    if state[SPEAKING] == 1.0:
        said = SPEECH if state[QUIET] == 0.0 else TAIL
    kept[int(state[DONE]) % KEPT_HOPS] = said
    state[DONE] += 1.0


@kernel
def _listen(
    block: Block,
    k: Floats,
    z: Floats,
    state: Floats,
    minima: Floats,
    kept: NDArray[np.int8],
    voice: Floats,
) -> None:
    for n in range(block.shape[0]):
        mono = 0.0
        most = 0.0
        for c in range(block.shape[1]):
            mono += float(block[n, c])
            most = max(most, abs(float(block[n, c])))
        state[NOTHING] = state[NOTHING] + 1.0 if most < NOTHING_LINEAR else 0.0
        if state[NOTHING] >= NOTHING_FRAMES:
            state[IS_GAP] = 1.0
        high = filter_sample(mono / block.shape[1], k, z)
        state[LOW] += (high - state[LOW]) * _LOW_PASS
        state[SUM] += state[LOW] * state[LOW]
        state[COUNT] += 1.0
        if state[COUNT] >= HOP_FRAMES:
            _decide(state, minima, kept, voice)
            state[SUM] = state[COUNT] = state[IS_GAP] = 0.0


@kernel
def _note(block: Block, speaks: Floats, voice: Floats) -> None:
    """How likely somebody speaks in this block, for the next."""
    voice[0] = 0.0
    for n in range(block.shape[0]):
        voice[0] = max(voice[0], speaks[n])


class SpeechActivity:
    """Says of each hop whether it is speech, pause or tail."""

    def __init__(self) -> None:
        self._k = high_pass_coefficients(150.0)
        self._z = np.zeros(2)
        self._state = np.zeros(FIELDS)
        self._minima = np.full(SUB_WINDOWS, np.inf)
        self._kept = np.zeros(KEPT_HOPS, np.int8)
        self._state[RECENT] = np.inf
        self._voice = np.ones(1)
        self.step = Step(
            _listen, self._k, self._z, self._state, self._minima, self._kept, self._voice
        )
        """Hears a block, and leaves it as it is."""

    def listen(self, block: Block) -> None:
        """Hear a block of the microphone, shape (frames, channels); leaves it as it is."""
        self.step.run(block)

    def hearing_of_voice(self, speaks: Floats | None) -> list[Step]:
        """What is to be done behind the suppressor that says in ``speaks``, shape (max_frames,), how likely somebody speaks in each
        frame of a block; None: nobody says, and all that is loud may be a voice."""
        if speaks is None:
            self._voice[0] = 1.0
            return []
        return [Step(_note, speaks, self._voice)]

    def join(self, other: "SpeechActivity") -> None:
        """Count hops as another does that has been listening."""
        for place in (DONE, COUNT):
            self._state[place] = other._state[place]

    def decisions(self, first: int, count: int) -> NDArray[np.int8]:
        """PAUSE, SPEECH or TAIL of hops first … first + count."""
        kept: NDArray[np.int8] = self._kept[hop_places(first, count)]
        return kept

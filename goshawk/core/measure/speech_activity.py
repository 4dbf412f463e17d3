"""Speech activity: decided once, at the microphone, for each hop of 10 ms.

The power between 150 Hz and 4 kHz is compared with the noise floor, which is followed by minimum
statistics: the least smoothed power of the last seconds is the noise, because speech pauses
(R. Martin, "Noise Power Spectral Density Estimation Based on Optimal Smoothing and Minimum
Statistics", IEEE Trans. Speech Audio Process. 9(5), 2001; here on one band). Speech begins when the
power stands ON_DB above the floor in three of four hops, so that a key's click does not count;
it ends when it stayed below OFF_DB for TAIL_HOPS.

Where a suppressor that knows voices hears the same sound, nothing counts that it takes for none: typing, breath. It says so of what
it has heard by then, and a voice is held for a syllable's gap.

What loudspeakers bring into the room counts to its floor. How loudly it comes is found as double-talk detectors of echo cancellers do it,
by levels alone: the microphone's power beside the greatest that was lately played (D. L. Duttweiler, "A Twelve-Channel Digital Echo
Canceler", IEEE Trans. Commun. 26(5), 1978), here as a low quantile of it while much is played, so that one's own words do not count.

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

PLAYED_PER_HOP = 0.9
"""What is left, from hop to hop, of the greatest power that was played: the room and the way there and back take a while."""

LOUDEST_PER_HOP = 0.9995
MUCH_PLAYED = 1.0 / 16.0
"""While what is played lies this far under the loudest of the last seconds, or higher, it is found how loudly it comes."""

LEAST_PLAYED_DBFS = -60.0
FIRST_WAY_DB, LEAST_WAY_DB, MOST_WAY_DB = -10.0, -40.0, 0.0
"""What comes softer than the least is no louder than a room; a microphone that was shut is not to be learned from for ever."""

WAY_RISES_DB, WAY_FALLS_DB = 0.03, 0.09
"""In each hop: together they go to the quarter of hops with the least of the microphone beside what is played."""

_LEAST_FLOOR = db_to_power(LEAST_FLOOR_DBFS)
_BIAS = db_to_power(MINIMUM_BIAS_DB)
_ON = db_to_power(ON_DB)
_OFF = db_to_power(OFF_DB)
_LEAST_PLAYED = db_to_power(LEAST_PLAYED_DBFS)
_LOW_PASS = 1.0 - math.exp(-2.0 * math.pi * 4000.0 / SAMPLE_RATE_HZ)

SUM, COUNT, LOW, SMOOTH, RECENT, IN_WINDOW, SUB, LOUD, SPEAKING, QUIET, DONE = range(11)
NOTHING, IS_GAP, GAPS, VOICE, FIELDS = range(11, 16)
"""Frames of nothing so far; whether this hop holds too many; such hops in a row; how likely a voice was heard
lately; and how many numbers there are."""

PLAYED_LOW, PLAYED_SUM, PLAYED_COUNT, PLAYED, LOUDEST, WAY_DB, PLAYED_FIELDS = range(7)
"""Of what loudspeakers play: the low pass, power and frames of this hop, the greatest power lately and in the last seconds, and how loudly
it comes."""


@kernel
def _floor_of_played(played: Floats, power: float) -> float:
    """What loudspeakers bring, in a hop in which the microphone has such power."""
    now = played[PLAYED]
    if now < _LEAST_PLAYED:
        return 0.0
    if now > MUCH_PLAYED * played[LOUDEST]:
        is_more = power > now * 10.0 ** (played[WAY_DB] / 10.0)
        played[WAY_DB] += WAY_RISES_DB if is_more else -WAY_FALLS_DB
        played[WAY_DB] = max(LEAST_WAY_DB, min(played[WAY_DB], MOST_WAY_DB))
    floor: float = now * 10.0 ** (played[WAY_DB] / 10.0)
    return floor


@kernel
def _decide(
    state: Floats, minima: Floats, kept: NDArray[np.int8], voice: Floats, played: Floats
) -> None:
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
    floor = max(least * _BIAS, _LEAST_FLOOR, _floor_of_played(played, power))
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
    played: Floats,
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
            _decide(state, minima, kept, voice, played)
            state[SUM] = state[COUNT] = state[IS_GAP] = 0.0


@kernel
def _note(block: Block, speaks: Floats, voice: Floats) -> None:
    """How likely somebody speaks in this block, for the next."""
    voice[0] = 0.0
    for n in range(block.shape[0]):
        voice[0] = max(voice[0], speaks[n])


@kernel
def _hear_played(block: Block, k: Floats, z: Floats, played: Floats) -> None:
    """What loudspeakers play, for the blocks to come; in the same band."""
    for n in range(block.shape[0]):
        mono = 0.0
        for c in range(block.shape[1]):
            mono += float(block[n, c])
        high = filter_sample(mono / block.shape[1], k, z)
        played[PLAYED_LOW] += (high - played[PLAYED_LOW]) * _LOW_PASS
        played[PLAYED_SUM] += played[PLAYED_LOW] * played[PLAYED_LOW]
        played[PLAYED_COUNT] += 1.0
        if played[PLAYED_COUNT] >= HOP_FRAMES:
            power = played[PLAYED_SUM] / HOP_FRAMES
            played[PLAYED] = max(power, PLAYED_PER_HOP * played[PLAYED])
            played[LOUDEST] = max(power, LOUDEST_PER_HOP * played[LOUDEST])
            played[PLAYED_SUM] = played[PLAYED_COUNT] = 0.0


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
        self._played, self._played_z = np.zeros(PLAYED_FIELDS), np.zeros(2)
        self._played[WAY_DB] = FIRST_WAY_DB
        self.step = Step(
            _listen, self._k, self._z, self._state, self._minima, self._kept, self._voice, self._played
        )  # fmt: skip
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

    def hearing_of_loudspeakers(self, are_on: bool) -> list[Step]:
        """What is to be done with what loudspeakers play, in the room of this microphone; nothing if there are none."""
        if not are_on:
            self._played[:WAY_DB] = 0.0
            return []
        return [Step(_hear_played, self._k, self._played_z, self._played)]

    def join(self, other: "SpeechActivity") -> None:
        """Count hops as another does that has been listening."""
        for place in (DONE, COUNT):
            self._state[place] = other._state[place]

    def decisions(self, first: int, count: int) -> NDArray[np.int8]:
        """PAUSE, SPEECH or TAIL of hops first … first + count."""
        kept: NDArray[np.int8] = self._kept[hop_places(first, count)]
        return kept

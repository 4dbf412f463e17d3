"""Leveller: brings speech slowly to one loudness, and freezes in pauses.

The loudness is that of ITU-R BS.1770-5 (K-weighted, see ``k_weighting``) in its momentary blocks of
400 ms, one each 100 ms. A block counts as speech if it is above the threshold and no more than
RELATIVE_GATE_LU under the speech before it (the relative gate of the same standard, here running). The
speech's power is averaged over SPEECH_S of such blocks. While speech lasts, the gain moves towards target
minus loudness, at most by the speed set and never beyond the range; in pauses it holds.
"""

import math

import numpy as np

from goshawk.core.compiled import kernel
from goshawk.core.dsp.k_weighting import (
    OFFSET_LUFS,
    RELATIVE_GATE_LU,
    SEGMENT_FRAMES,
    SEGMENTS_PER_BLOCK,
    LoudnessMeter,
    weigh,
)
from goshawk.core.settings import Settings, number
from goshawk.core.stage import Block, Floats, Stage, StageReading
from goshawk.core.steps import Step
from goshawk.units import SILENCE_DBFS, ms_to_frames

SPEECH_S = 3.0
LEAST_SPEECH_S = 1.0
"""It does not move before it has heard so much speech."""

SEGMENT_S = 0.1
FADE_FRAMES = ms_to_frames(100.0)
"""A step of the gain is spread over the segment that follows it."""


class LevellerSettings(Settings):
    """Settings of the leveller."""

    target_lufs: float = number(
        -20.5, -40.0, -6.0, "LUFS", "Target loudness", "Loudness that speech is brought to.",
        step=0.5,
        reads=((-40, "brings speech far below what viewers are used to"), (-25, "brings speech to a soft level, with room above"), (-18, "brings speech to a usual level for streaming"), (-13, "brings speech very high: the limiter works hard"),),
    )  # fmt: skip
    range_db: float = number(
        6.0,
        0.0,
        15.0,
        "dB",
        "Range",
        "Maximum gain change, up or down.",
        step=0.5,
        reads=(
            (0, "does nothing"),
            (0.5, "evens out a turned head"),
            (4, "evens out quiet and loud days"),
            (9, "evens out whispers and shouts, and raises room noise"),
        ),
    )
    speed_db_per_s: float = number(
        1.0,
        0.1,
        6.0,
        "dB/s",
        "Speed",
        "Speed of gain changes. Slow changes are inaudible.",
        taper="log",
        reads=(
            (0.1, "moves so slowly that nobody hears it"),
            (0.7, "moves within a sentence"),
            (2.5, "moves within words; it is heard"),
        ),
    )
    threshold_lufs: float = number(
        -45.0,
        -70.0,
        -20.0,
        "LUFS",
        "Freeze below",
        "Below this loudness the gain stays as it is.",
        step=1.0,
        reads=(
            (-70, "treats nearly everything as speech"),
            (-52, "freezes in pauses"),
            (-38, "freezes in soft speech too"),
        ),
    )


AT, LEFT, POWER, HEARD, QUIET_S, GAIN_DB, FIRST_GAIN, LAST_GAIN = range(8)
"""Places in the state: frames of the gain's way so far; frames left of the segment; mean power of the speech, segments
of it so far, time since; the gain that is set; the two ends of the gain's way, linear."""

TARGET, RANGE, SPEED, THRESHOLD = range(4)


@kernel
def _in_lufs(power: float) -> float:
    return OFFSET_LUFS + 10.0 * math.log10(max(power, 1e-12))


@kernel
def _follow(segment: float, powers: Floats, state: Floats, values: Floats) -> None:
    """A segment is complete (its mean square): its loudness decides where the gain goes during the next."""
    powers[:-1] = powers[1:]
    powers[-1] = segment
    loudness = _in_lufs(powers.mean())
    # Of the block, and of its newest part alone: the beginning of a pause is no quiet speech.
    least = values[THRESHOLD]
    if state[HEARD] > 0.0:
        least = max(least, _in_lufs(state[POWER]) + RELATIVE_GATE_LU)
    is_speech = min(loudness, _in_lufs(segment)) > least
    if is_speech:
        # A mean of all speech at first, of the last SPEECH_S later.
        state[HEARD] += 1.0
        weight = max(1.0 / state[HEARD], SEGMENT_S / SPEECH_S)
        state[POWER] += (segment - state[POWER]) * weight
        state[QUIET_S] = 0.0
    else:
        state[QUIET_S] += SEGMENT_S
        if loudness > values[THRESHOLD] and state[QUIET_S] > SPEECH_S:
            state[HEARD] = 0.0  # Quieter speech, and not a pause: begin anew from it.
    wanted = state[GAIN_DB]
    if is_speech and state[HEARD] >= LEAST_SPEECH_S / SEGMENT_S:
        wanted = values[TARGET] - _in_lufs(state[POWER])
    wanted = max(-values[RANGE], min(values[RANGE], wanted))
    step = values[SPEED] * SEGMENT_S
    state[GAIN_DB] += max(-step, min(step, wanted - state[GAIN_DB]))
    state[FIRST_GAIN], state[LAST_GAIN] = state[LAST_GAIN], 10.0 ** (state[GAIN_DB] / 20.0)
    state[AT] = 0.0


@kernel
def _level(
    block: Block,
    powers: Floats,
    state: Floats,
    values: Floats,
    shelf: Floats,
    high_pass: Floats,
    weights: Floats,
    z: Floats,
    sums: Floats,
    out: Floats,
) -> None:
    """Measure, and move the gain along a straight line within each segment, in place."""
    frames, channels = block.shape
    start = 0
    while start < frames:
        length = min(frames - start, int(state[LEFT]))
        piece = block[start : start + length]
        done = weigh(piece, shelf, high_pass, weights, z, sums, out, SEGMENT_FRAMES)
        first, last = state[FIRST_GAIN], state[LAST_GAIN]
        for n in range(length):
            gain = first + (last - first) * min(1.0, state[AT] / FADE_FRAMES)
            state[AT] += 1.0
            for c in range(channels):
                piece[n, c] = np.float32(piece[n, c] * gain)
        state[LEFT] -= length
        if done > 0:
            _follow(out[0] / channels, powers, state, values)
            state[LEFT] = SEGMENT_FRAMES
        start += length


class Leveller(Stage[LevellerSettings]):
    """Moves speech towards a loudness. No latency."""

    def __init__(self, settings: LevellerSettings, channels: int, max_frames: int) -> None:
        self._powers = np.zeros(SEGMENTS_PER_BLOCK)
        self._state = np.zeros(8)
        self._values = np.zeros(4)
        self._meter = LoudnessMeter(channels, max_frames)
        self.steps = (Step(_level, self._powers, self._state, self._values, *self._meter.arrays),)
        super().__init__(settings, channels, max_frames)
        self.reset()

    def apply(self, settings: LevellerSettings) -> None:
        self.settings = settings
        self._values[:] = (
            settings.target_lufs,
            settings.range_db,
            settings.speed_db_per_s,
            settings.threshold_lufs,
        )

    def reset(self) -> None:
        self._meter.reset()
        self._powers.fill(0.0)
        self._state.fill(0.0)
        self._state[LEFT] = SEGMENT_FRAMES
        self._state[[FIRST_GAIN, LAST_GAIN]] = 1.0

    def take_reading(self) -> StageReading:
        state = self._state
        loudness = round(_in_lufs(state[POWER]), 1)
        return {
            "gain_db": round(float(state[GAIN_DB]), 1),
            "loudness_lufs": loudness if state[HEARD] else SILENCE_DBFS,
            "is_holding": bool(state[QUIET_S] > 0.0),
        }

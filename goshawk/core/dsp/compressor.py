"""Compressor: brings loud and quiet speech closer together.

A feed-forward compressor with its detector in the log domain, after D. Giannoulis, M. Massberg and
J. D. Reiss, "Digital Dynamic Range Compressor Design - A Tutorial and Analysis", J. Audio Eng. Soc.
60(6), 2012: gain computer with soft knee (their equation 4), then the smooth, branching peak
detector on the gain reduction in dB.

The level is the greatest absolute sample of the last PEAK_WINDOW_MS (of all channels, which are
turned down together): it reads a tone's true amplitude from 50 Hz on, so that a steady tone meets
the static curve exactly and its wave is not bent. A fall of the level is therefore seen that much
later. Attack and release are the times in which the gain reduction in dB covers 63 % of a step.
"""

import numpy as np

from goshawk.core.compiled import kernel
from goshawk.core.dsp.fast_math import amplitude, amplitude_db
from goshawk.core.dsp.side_chain import high_pass_coefficients, loudest
from goshawk.core.dsp.sliding import Integers, SlidingMaximum, sliding_maximum
from goshawk.core.settings import Settings, choice, number
from goshawk.core.stage import Block, Floats, Glide, Stage, StageReading, glide_along
from goshawk.core.steps import Step
from goshawk.units import SILENCE_LINEAR, ms_to_frames, one_pole_coefficient

PEAK_WINDOW_MS = 10.0


class CompressorSettings(Settings):
    """Settings of the compressor."""

    threshold_dbfs: float = number(
        -24.0,
        -60.0,
        0.0,
        "dBFS",
        "Threshold",
        "Above this level the voice is turned down.",
        reads=(
            (-60, "works on everything, the room too"),
            (-36, "works on nearly every word"),
            (-27, "works on usual words and loud ones"),
            (-18, "works on loud words"),
            (-8, "works on shouts only"),
        ),
    )
    ratio: float = number(
        3.0,
        1.0,
        20.0,
        ": 1",
        "Ratio",
        "Input dB above the threshold for each output dB.",
        taper="log",
        reads=(
            (1, "does nothing"),
            (1.1, "evens gently"),
            (2.5, "evens clearly, and stays natural"),
            (5, "holds loud words firmly; it may pump"),
            (10, "holds like a limiter"),
        ),
    )
    knee_db: float = number(
        6.0,
        0.0,
        24.0,
        "dB",
        "Knee",
        "Width of the curve around the threshold.",
        step=0.5,
        reads=(
            (0, "begins hard at the threshold"),
            (3, "begins gently"),
            (12, "begins far below the threshold, and is hardly noticed"),
        ),
    )
    attack_ms: float = number(
        8.0,
        0.1,
        200.0,
        "ms",
        "Attack",
        "Time to reach full reduction.",
        taper="log",
        reads=(
            (0.1, "catches every beginning; words lose their edge"),
            (3, "lets the edge of a word through"),
            (25, "lets loud beginnings through"),
        ),
    )
    release_ms: float = number(
        150.0,
        10.0,
        2000.0,
        "ms",
        "Release",
        "Time to return to no reduction.",
        step=5.0,
        taper="log",
        reads=(
            (10, "releases within a syllable; it may sound rough"),
            (80, "releases between words"),
            (350, "stays down for the rest of the sentence"),
        ),
    )
    makeup_gain_db: float = number(
        6.0,
        0.0,
        30.0,
        "dB",
        "Makeup gain",
        "Raises the whole voice after compression.",
        reads=(
            (0, "adds nothing"),
            (0.5, "makes up for gentle work"),
            (8, "lifts the voice much, and the room with it"),
            (16, "lifts the room into the words"),
        ),
    )
    is_makeup_automatic: bool = choice(
        False, "Automatic makeup", "Adds half of the gain that a full-scale signal would lose."
    )
    mix_percent: float = number(
        100.0,
        0.0,
        100.0,
        "%",
        "Mix",
        "Share of the compressed signal. The rest is the dry signal.",
        step=1.0,
        reads=(
            (0, "is not heard"),
            (5, "lies under the untouched voice"),
            (60, "is most of what is heard"),
            (95, "is all that is heard"),
        ),
    )
    side_chain_high_pass_hz: float = number(
        80.0,
        20.0,
        400.0,
        "Hz",
        "Side-chain high-pass",
        "The compressor ignores rumble and thumps below this frequency.",
        step=5.0,
        taper="log",
        reads=(
            (20, "reacts to rumble too"),
            (60, "ignores rumble"),
            (150, "ignores thumps and bass"),
        ),
    )


@kernel
def _gain_reduction_db(level_db: float, threshold: float, slope: float, knee: float) -> float:
    """Positive gain reduction of the static curve: x - y of Giannoulis et al., equation 4.

    ``slope`` is 1 - 1/ratio.
    """
    over = level_db - threshold
    if 2.0 * over <= -knee:
        return 0.0
    if 2.0 * over < knee:
        return slope * (over + knee / 2.0) ** 2 / (2.0 * knee)
    return slope * over


def reduction_at_db(settings: CompressorSettings, level_dbfs: float) -> float:
    """What the static curve takes off a steady level, in dB, makeup and mix left out."""
    slope = 1.0 - 1.0 / settings.ratio
    return float(_gain_reduction_db(level_dbfs, settings.threshold_dbfs, slope, settings.knee_db))


def makeup_gain_db(settings: CompressorSettings) -> float:
    """The makeup gain in force: set, or half of what the curve takes off full scale (a usual choice, which
    follows threshold and ratio)."""
    if settings.is_makeup_automatic:
        return reduction_at_db(settings, 0.0) / 2.0
    return settings.makeup_gain_db


def static_curve_db(settings: CompressorSettings, levels_dbfs: Floats) -> Floats:
    """Output level in dBFS for steady input levels, makeup and mix included."""
    reduction = np.array([reduction_at_db(settings, float(x)) for x in levels_dbfs])
    wet = 10.0 ** ((makeup_gain_db(settings) - reduction) / 20.0)
    mix = settings.mix_percent / 100.0
    curve: Floats = levels_dbfs + 20.0 * np.log10(mix * wet + 1.0 - mix)
    return curve


THRESHOLD, SLOPE, KNEE, MAKEUP, MIX, LEVEL, REDUCTION = range(7)
"""Rows of the lines, one value a frame: the gliding settings (gains in dB, mix from 0 to 1), the level that is heard, and
the gain reduction in dB."""


@kernel
def _compress(
    block: Block,
    lines: Floats,
    state: Floats,
    k: Floats,
    z: Floats,
    times: Floats,
    values: Floats,
    ages: Integers,
    ends: Integers,
    now: Floats,
    between: Floats,
    target: Floats,
    a: float,
) -> None:
    """State: gain reduction now, most of it since the last reading, level at that moment.

    In passes over the block, so that those without memory run in vector instructions."""
    frames, channels = block.shape
    glide_along(now, between, target, a, lines, frames)
    level, wanted = lines[LEVEL], lines[REDUCTION]
    threshold, slope, knee = lines[THRESHOLD], lines[SLOPE], lines[KNEE]
    loudest(block, k, z, level)
    for n in range(frames):
        level[n] = sliding_maximum(max(level[n], SILENCE_LINEAR), values, ages, ends)
    for n in range(frames):
        level[n] = amplitude_db(level[n])
    for n in range(frames):
        over = level[n] - threshold[n]
        bend = slope[n] * (over + knee[n] / 2.0) ** 2 / max(2.0 * knee[n], 1e-9)
        bent = bend if 2.0 * over < knee[n] else slope[n] * over
        wanted[n] = 0.0 if 2.0 * over <= -knee[n] else bent
    reduction, most, highest = state[0], state[1], state[2]
    for n in range(frames):
        coefficient = times[0] if wanted[n] > reduction else times[1]
        reduction = wanted[n] + (reduction - wanted[n]) * coefficient
        if reduction < 1e-9:
            reduction = 0.0
        wanted[n] = reduction
        most = max(most, reduction)
        highest = max(highest, level[n])
    state[0], state[1], state[2] = reduction, most, highest
    makeup, mix = lines[MAKEUP], lines[MIX]
    for n in range(frames):
        level[n] = mix[n] * amplitude(makeup[n] - wanted[n]) + 1.0 - mix[n]
    for n in range(frames):
        for c in range(channels):
            block[n, c] = np.float32(block[n, c] * level[n])


class Compressor(Stage[CompressorSettings]):
    """Turns the voice down above a threshold. No latency."""

    def __init__(self, settings: CompressorSettings, channels: int, max_frames: int) -> None:
        self._lines = np.zeros((7, max_frames))
        self._state = np.zeros(3)
        self._z = np.zeros((channels, 2))
        self._times = np.zeros(2)
        self._peak = SlidingMaximum(ms_to_frames(PEAK_WINDOW_MS))
        self._k = np.zeros(5)
        self._glide = g = Glide(5)
        self.steps = (
            Step(
                _compress, self._lines, self._state, self._k, self._z, self._times, *self._peak.arrays,
                g.now, g.between, g.target, g.coefficient,
            ),
        )  # fmt: skip
        super().__init__(settings, channels, max_frames)

    def apply(self, settings: CompressorSettings) -> None:
        self.settings = settings
        self._k[:] = high_pass_coefficients(settings.side_chain_high_pass_hz)
        self._times[:] = (
            one_pole_coefficient(settings.attack_ms),
            one_pole_coefficient(settings.release_ms),
        )
        self._glide.set(
            settings.threshold_dbfs,
            1.0 - 1.0 / settings.ratio,
            settings.knee_db,
            makeup_gain_db(settings),
            settings.mix_percent / 100.0,
        )

    def reset(self) -> None:
        self._state[:] = 0.0
        self._z.fill(0.0)
        self._peak.reset()
        self._glide.settle()

    def take_reading(self) -> StageReading:
        reading: StageReading = {
            "gain_reduction_db": round(float(self._state[1]), 1),
            "level_dbfs": round(float(self._state[2]), 1),
        }
        self._state[1] = self._state[0]
        self._state[2] = -120.0
        return reading

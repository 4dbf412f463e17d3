"""De-esser: reduces sharp s sounds, and only their band.

Split-band: a Linkwitz-Riley crossover parts the sound (see ``crossover``); the upper band is turned down
while its power stands above the lower band's by more than the threshold. The voice is its own measure, so a
louder or quieter voice is treated alike (U. Zölzer (ed.), *DAFX*, 2nd ed. (2011), chapter 4, describes the
de-esser; the threshold relative to the voice is ours).

The upper band's power is averaged over DETECTOR_MS; the lower band's over VOICE_MS, and held with a slow release, so that
an s, in which the lower band is nearly silent, is compared with the vowels around it. What exceeds the
threshold is taken away, dB for dB, up to the amount. Attack and release are times of the gain in dB.
"""

import numpy as np

from goshawk.core.compiled import kernel
from goshawk.core.dsp.crossover import two_bands
from goshawk.core.dsp.fast_math import amplitude, power_db
from goshawk.core.dsp.filter_bank import FilterBank
from goshawk.core.settings import Settings, number
from goshawk.core.stage import Block, Floats, Glide, Stage, StageReading, glide_along
from goshawk.core.steps import Step, copying
from goshawk.units import SILENCE_LINEAR, db_to_power, one_pole_coefficient

DETECTOR_MS = 3.0
VOICE_MS = 20.0
VOICE_RELEASE_MS = 800.0
"""The voice's level is held over a word: longer than an s lasts."""

LEAST_VOICE = db_to_power(-60.0)
"""Under this power (−60 dBFS) there is no voice to compare with: hiss in a pause is left alone."""


class DeEsserSettings(Settings):
    """Settings of the de-esser."""

    frequency_hz: float = number(
        5_500.0,
        2_000.0,
        12_000.0,
        "Hz",
        "Frequency",
        "Sibilance is detected above this frequency.",
        step=50.0,
        taper="log",
        reads=(
            (2000, "acts on much of the voice; you may lisp"),
            (4000, "acts on s and sh"),
            (7000, "acts on the sharpest hiss only"),
        ),
    )
    threshold_db: float = number(
        -8.0,
        -30.0,
        12.0,
        "dB",
        "Threshold",
        "Level of sibilance, relative to the rest of the voice, above which it is reduced.",
        reads=(
            (-30, "acts nearly always"),
            (-16, "acts on most s sounds"),
            (-8, "acts on sharp s sounds"),
            (2, "acts on the very sharpest only"),
        ),
    )
    amount_db: float = number(
        8.0,
        0.0,
        24.0,
        "dB",
        "Max reduction",
        "Maximum reduction of sibilance.",
        step=0.5,
        reads=(
            (0, "removes nothing"),
            (0.5, "reduces sharp s sounds a little"),
            (4, "reduces sharp s sounds"),
            (10, "reduces them strongly; you may lisp"),
        ),
    )
    attack_ms: float = number(
        1.0,
        0.1,
        20.0,
        "ms",
        "Attack",
        "Time to reach full reduction.",
        taper="log",
        reads=(
            (0.1, "acts at once"),
            (2.5, "lets the beginning of an s through"),
            (8, "comes too late for most s sounds"),
        ),
    )
    release_ms: float = number(
        60.0,
        5.0,
        500.0,
        "ms",
        "Release",
        "Time to return to no reduction.",
        step=5.0,
        taper="log",
        reads=(
            (5, "releases within the s; it may sound rough"),
            (30, "releases at the end of the s"),
            (150, "dulls the vowel behind the s too"),
        ),
    )


THRESHOLD, AMOUNT, UPPER, VOICE = range(4)
"""Rows of the lines, one value a frame: the gliding settings, the power of the upper band (then the reduction in dB), and
that of the voice (then their ratio in dB)."""


@kernel
def _soften(
    low: Block,
    high: Block,
    lines: Floats,
    state: Floats,
    times: Floats,
    now: Floats,
    between: Floats,
    target: Floats,
    a: float,
) -> None:
    """Adds the bands into ``low``. State: upper power, voice power, reduction in dB, most of it and the
    greatest ratio in dB since the last reading, lower power.

    In passes over the block, so that those without memory run in vector instructions."""
    frames, channels = low.shape
    glide_along(now, between, target, a, lines, frames)
    uppers, voices = lines[UPPER], lines[VOICE]
    upper, voice, lower = state[0], state[1], state[5]
    for n in range(frames):
        below = above = 0.0
        for c in range(channels):
            below += float(low[n, c]) ** 2
            above += float(high[n, c]) ** 2
        upper += (above / channels - upper) * (1.0 - times[0])
        lower += (below / channels - lower) * (1.0 - times[1])
        voice = max(lower, voice * times[2])
        uppers[n], voices[n] = upper, voice
    state[0], state[1], state[5] = upper, voice, lower
    for n in range(frames):
        ratio = max(uppers[n], SILENCE_LINEAR**2) / max(voices[n], LEAST_VOICE)
        voices[n] = power_db(ratio)
    reduction, most, greatest = state[2], state[3], state[4]
    thresholds, amounts = lines[THRESHOLD], lines[AMOUNT]
    for n in range(frames):
        wanted = min(amounts[n], max(0.0, voices[n] - thresholds[n]))
        reduction = wanted + (reduction - wanted) * (times[3] if wanted > reduction else times[4])
        if reduction < 1e-9:
            reduction = 0.0
        uppers[n] = reduction
        most = max(most, reduction)
        greatest = max(greatest, voices[n])
    state[2], state[3], state[4] = reduction, most, greatest
    for n in range(frames):
        uppers[n] = amplitude(-uppers[n])
    for n in range(frames):
        for c in range(channels):
            low[n, c] = np.float32(low[n, c] + uppers[n] * high[n, c])


class DeEsser(Stage[DeEsserSettings]):
    """Turns the band of the s sounds down. No latency."""

    def __init__(self, settings: DeEsserSettings, channels: int, max_frames: int) -> None:
        self._banks = [FilterBank(2, channels, max_frames) for _ in range(2)]
        for bank, sections in zip(self._banks, two_bands(settings.frequency_hz), strict=True):
            bank.set(sections, at_once=True)
        self._state = np.zeros(6)
        self._times = np.zeros(5)
        self._glide = g = Glide(2)
        high = np.zeros((max_frames, channels), np.float32)
        self.steps = (
            copying(high),
            self._banks[0].step(),
            self._banks[1].step(high),
            Step(
                _soften, high, np.zeros((4, max_frames)), self._state, self._times,
                g.now, g.between, g.target, g.coefficient,
            ),
        )  # fmt: skip
        super().__init__(settings, channels, max_frames)
        self.reset()

    def apply(self, settings: DeEsserSettings) -> None:
        self.settings = settings
        for bank, sections in zip(self._banks, two_bands(settings.frequency_hz), strict=True):
            bank.set(sections)
        self._times[:] = [
            one_pole_coefficient(ms)
            for ms in (
                DETECTOR_MS,
                VOICE_MS,
                VOICE_RELEASE_MS,
                settings.attack_ms,
                settings.release_ms,
            )
        ]
        self._glide.set(settings.threshold_db, settings.amount_db)

    def reset(self) -> None:
        for bank in self._banks:
            bank.reset()
        self._state[:] = (0.0, 0.0, 0.0, 0.0, -60.0, 0.0)
        self._glide.settle()

    def take_reading(self) -> StageReading:
        reading: StageReading = {
            "gain_reduction_db": round(float(self._state[3]), 1),
            "sibilance_db": round(float(self._state[4]), 1),
        }
        self._state[3] = self._state[2]
        self._state[4] = -60.0
        return reading

"""Leveller: brings speech slowly to one loudness, and rests in pauses.

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
    SEGMENTS_PER_BLOCK,
    LoudnessMeter,
)
from goshawk.core.settings import Settings, number
from goshawk.core.stage import Block, Floats, Stage, StageReading
from goshawk.units import SAMPLE_RATE_HZ, SILENCE_DBFS, db_to_linear, ms_to_frames

SPEECH_S = 3.0
LEAST_SPEECH_S = 1.0
"""It does not move before it has heard so much speech."""

SEGMENT_S = 0.1
FADE_FRAMES = ms_to_frames(100.0)
"""A step of the gain is spread over the segment that follows it."""


class LevellerSettings(Settings):
    """Settings of the leveller."""

    target_lufs: float = number(
        -20.5, -40.0, -6.0, "LUFS", "Brings speech to", "The loudness that speech is brought to.",
        step=0.5,
    )  # fmt: skip
    range_db: float = number(
        6.0, 0.0, 15.0, "dB", "By at most", "The most it may raise or lower.", step=0.5
    )
    speed_db_per_s: float = number(
        1.0, 0.1, 6.0, "dB/s", "Speed", "How quickly it moves; slow is not heard.", taper="log"
    )
    threshold_lufs: float = number(
        -45.0,
        -70.0,
        -20.0,
        "LUFS",
        "Rests below",
        "Quieter than this is a pause: the level is held.",
        step=1.0,
    )


@kernel
def _apply(block: Block, state: Floats, gains: Floats, fade: int) -> None:
    """Gain along a straight line from gains[0] to gains[1]; ``state[0]`` counts frames of the way."""
    for n in range(block.shape[0]):
        share = min(1.0, state[0] / fade)
        state[0] += 1.0
        gain = gains[0] + (gains[1] - gains[0]) * share
        for c in range(block.shape[1]):
            block[n, c] = np.float32(block[n, c] * gain)


class Leveller(Stage[LevellerSettings]):
    """Moves speech towards a loudness. No latency."""

    def __init__(self, settings: LevellerSettings, channels: int, max_frames: int) -> None:
        self._powers = np.zeros(SEGMENTS_PER_BLOCK)
        self._state = np.zeros(1)
        self._gains = np.ones(2)
        self._power, self._heard, self._quiet_s, self._gain_db, self._left = 0.0, 0, 0.0, 0.0, 0
        super().__init__(settings, channels, max_frames)
        self.reset()

    def apply(self, settings: LevellerSettings) -> None:
        self.settings = settings

    def run(self, block: Block) -> None:
        start = 0
        while start < len(block):
            piece = block[start : start + self._left]
            segments = self._meter.measure(piece)
            _apply(piece, self._state, self._gains, FADE_FRAMES)
            self._left -= len(piece)
            if len(segments):
                self._follow(float(segments[0]))
                self._left = int(SEGMENT_S * SAMPLE_RATE_HZ)
            start += len(piece)

    @property
    def _loudness(self) -> float:
        """Of the speech, in LUFS."""
        return OFFSET_LUFS + 10.0 * math.log10(max(self._power, 1e-12))

    def _follow(self, power: float) -> None:
        """A segment is complete: its loudness decides where the gain goes during the next."""
        settings = self.settings
        self._powers[:-1] = self._powers[1:]
        self._powers[-1] = power
        mean = float(self._powers.mean()) / self.channels
        loudness = OFFSET_LUFS + 10.0 * math.log10(max(mean, 1e-12))
        # Of the block, and of its newest part alone: the beginning of a pause is no quiet speech.
        newest = OFFSET_LUFS + 10.0 * math.log10(max(power / self.channels, 1e-12))
        least = settings.threshold_lufs
        if self._heard:
            least = max(least, self._loudness + RELATIVE_GATE_LU)
        is_speech = min(loudness, newest) > least
        if is_speech:
            # A mean of all speech at first, of the last SPEECH_S later.
            self._heard += 1
            weight = max(1.0 / self._heard, SEGMENT_S / SPEECH_S)
            self._power += (power / self.channels - self._power) * weight
            self._quiet_s = 0.0
        else:
            self._quiet_s += SEGMENT_S
            if loudness > settings.threshold_lufs and self._quiet_s > SPEECH_S:
                self._heard = 0  # Quieter speech, and not a pause: begin anew from it.
        wanted = self._gain_db
        if is_speech and self._heard >= LEAST_SPEECH_S / SEGMENT_S:
            wanted = settings.target_lufs - self._loudness
        wanted = max(-settings.range_db, min(settings.range_db, wanted))
        step = settings.speed_db_per_s * SEGMENT_S
        self._gain_db += max(-step, min(step, wanted - self._gain_db))
        self._gains[:] = self._gains[1], db_to_linear(self._gain_db)
        self._state[0] = 0.0

    def reset(self) -> None:
        self._meter = LoudnessMeter(self.channels, self.max_frames)
        self._powers.fill(0.0)
        self._power = 0.0
        self._heard = 0
        self._quiet_s = 0.0
        self._gain_db = 0.0
        self._left = int(SEGMENT_S * SAMPLE_RATE_HZ)
        self._gains.fill(1.0)
        self._state[0] = 0.0

    def take_reading(self) -> StageReading:
        return {
            "gain_db": round(self._gain_db, 1),
            "loudness_lufs": round(self._loudness, 1) if self._heard else SILENCE_DBFS,
            "is_holding": self._quiet_s > 0.0,
        }

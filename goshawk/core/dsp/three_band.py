"""Three-band compressor: evens out the low, the middle and the high part of the voice, each by itself.

Linkwitz-Riley crossovers of fourth order whose bands add up flat (see ``crossover``); in each band the
compressor of ``compressor``.
"""

from typing import Any, Self

import numpy as np
from pydantic import Field, model_validator

from goshawk.core.compiled import kernel
from goshawk.core.dsp.compressor import Compressor, CompressorSettings
from goshawk.core.dsp.crossover import three_bands
from goshawk.core.dsp.filter_bank import FilterBank
from goshawk.core.settings import Settings, number
from goshawk.core.stage import CLEAN, Block, Stage, StageReading
from goshawk.core.steps import Step, copying

BANDS = ("low", "middle", "high")
KNEE_DB = 6.0


class BandSettings(Settings):
    """One band's compressor."""

    threshold_dbfs: float = number(
        -30.0,
        -60.0,
        0.0,
        "dBFS",
        "Threshold",
        "Above this level the band is turned down.",
        reads=(
            (-60, "works on everything in this band"),
            (-38, "works on usual words"),
            (-20, "works on loud words only"),
        ),
    )
    ratio: float = number(
        2.0,
        1.0,
        20.0,
        ": 1",
        "Ratio",
        "Input dB above the threshold for each output dB.",
        taper="log",
        reads=(
            (1, "does nothing"),
            (1.1, "evens this band gently"),
            (3, "evens this band firmly"),
            (8, "holds this band like a limiter"),
        ),
    )
    attack_ms: float = number(
        10.0,
        0.1,
        200.0,
        "ms",
        "Attack",
        "Time to reach full reduction.",
        taper="log",
        reads=(
            (0.1, "catches every beginning"),
            (5, "lets the edge of a word through"),
            (30, "lets loud beginnings through"),
        ),
    )
    release_ms: float = number(
        120.0,
        10.0,
        2000.0,
        "ms",
        "Release",
        "Time to return to no reduction.",
        step=5.0,
        taper="log",
        reads=(
            (10, "releases within a syllable"),
            (80, "releases between words"),
            (350, "stays down for the rest of the sentence"),
        ),
    )
    makeup_gain_db: float = number(
        0.0,
        0.0,
        12.0,
        "dB",
        "Makeup gain",
        "Raises the band after compression.",
        reads=(
            (0, "adds nothing"),
            (0.5, "lifts this band a little"),
            (5, "lifts this band clearly"),
        ),
    )

    @property
    def compressor(self) -> CompressorSettings:
        """The same for the compressor that does the work. The band is its own side-chain filter."""
        return CompressorSettings(
            **self.model_dump(), knee_db=KNEE_DB, mix_percent=100.0, side_chain_high_pass_hz=20.0
        )


class ThreeBandSettings(Settings):
    """Settings of the three-band compressor."""

    lower_hz: float = number(
        200.0,
        60.0,
        1_000.0,
        "Hz",
        "Low crossover",
        "Crossover frequency between the low and middle bands.",
        step=5.0,
        taper="log",
        reads=(
            (60, "makes low what is under the voice"),
            (150, "makes low the chest of the voice"),
            (400, "makes low half of the voice"),
        ),
    )
    upper_hz: float = number(
        3_000.0, 1_000.0, 12_000.0, "Hz", "High crossover", "Crossover frequency between the middle and high bands.",
        step=50.0, taper="log",
        reads=((1000, "makes high all but the vowels"), (2200, "makes high consonants and air"), (6000, "makes high only s sounds and air"),),
    )  # fmt: skip
    low: BandSettings = Field(BandSettings(), title="Low")
    middle: BandSettings = Field(BandSettings(), title="Middle")
    high: BandSettings = Field(BandSettings(threshold_dbfs=-36.0, attack_ms=3.0), title="High")

    @model_validator(mode="after")
    def _bands_are_apart(self) -> Self:
        if self.upper_hz < 2.0 * self.lower_hz:
            raise ValueError(
                f"the bands meet at {self.lower_hz:g} and {self.upper_hz:g} Hz, less than an octave "
                "apart. Lower the first or raise the second."
            )
        return self


@kernel
def _add(block: Block, middle: Block, high: Block) -> None:
    """The other two bands to the lowest, in place."""
    for n in range(block.shape[0]):
        for c in range(block.shape[1]):
            block[n, c] = block[n, c] + middle[n, c] + high[n, c]


class ThreeBand(Stage[ThreeBandSettings]):
    """A compressor in each of three bands. No latency."""

    def __init__(self, settings: ThreeBandSettings, channels: int, max_frames: int) -> None:
        self._banks = [FilterBank(count, channels, max_frames) for count in (3, 4, 4)]
        for bank, sections in zip(self._banks, self._sections(settings), strict=True):
            bank.set(sections, at_once=True)
        self._compressors = [
            Compressor(getattr(settings, band).compressor, channels, max_frames) for band in BANDS
        ]
        middle, high = (np.zeros((max_frames, channels), np.float32) for _ in range(2))
        steps = [copying(middle), copying(high)]
        for bank, compressor, part in zip(
            self._banks, self._compressors, (None, middle, high), strict=True
        ):
            steps += [
                bank.step(part),
                CLEAN.on(part),
                *(step.on(part) for step in compressor.steps),
            ]
        self.steps = (*steps, Step(_add, middle, high))
        super().__init__(settings, channels, max_frames)

    @staticmethod
    def _sections(settings: ThreeBandSettings) -> tuple[Any, ...]:
        return three_bands(settings.lower_hz, settings.upper_hz)

    def apply(self, settings: ThreeBandSettings) -> None:
        self.settings = settings
        for bank, sections in zip(self._banks, self._sections(settings), strict=True):
            bank.set(sections)
        for band, compressor in zip(BANDS, self._compressors, strict=True):
            compressor.apply(getattr(settings, band).compressor)

    def reset(self) -> None:
        for bank, compressor in zip(self._banks, self._compressors, strict=True):
            bank.reset()
            compressor.reset()

    def take_reading(self) -> StageReading:
        low, middle, high = (one.take_reading()["gain_reduction_db"] for one in self._compressors)
        return {
            "gain_reduction_db": max(low, middle, high),
            "low_reduction_db": low,
            "middle_reduction_db": middle,
            "high_reduction_db": high,
        }

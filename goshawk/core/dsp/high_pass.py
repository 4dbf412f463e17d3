"""High-pass: takes away what lies under the voice, footsteps, traffic and the desk.

A Butterworth filter of second or fourth order (12 or 24 dB per octave), matched to its analogue prototype
(see ``matched``).
"""

from typing import Literal

import numpy as np

from goshawk.core.dsp.filter_bank import FilterStage
from goshawk.core.dsp.matched import BUTTERWORTH_Q, UNITY, high_pass
from goshawk.core.settings import Settings, choice, number
from goshawk.core.stage import Floats

Slope = Literal[12, 24]
SECTIONS = 2


class HighPassSettings(Settings):
    """Settings of the high-pass."""

    frequency_hz: float = number(
        75.0,
        40.0,
        200.0,
        "Hz",
        "Cutoff",
        "Removes everything below this frequency. Stay below the lowest tone of the voice.",
        step=1.0,
        taper="log",
        reads=(
            (40, "removes what is felt rather than heard"),
            (65, "removes rumble and keeps a deep voice"),
            (100, "removes thumps; a deep voice gets thinner"),
            (140, "makes most voices thin"),
        ),
    )
    slope_db_per_octave: Slope = choice(
        12, "Slope", "Steepness in dB per octave. Choose 24 for a room with rumble."
    )


class HighPass(FilterStage[HighPassSettings]):
    """A high-pass."""

    @staticmethod
    def sections(settings: HighPassSettings) -> Floats:
        sections = np.tile(UNITY, (SECTIONS, 1))
        for place, q in enumerate(BUTTERWORTH_Q[settings.slope_db_per_octave]):
            sections[place] = high_pass(settings.frequency_hz, q)
        return sections

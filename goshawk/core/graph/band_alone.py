"""One band of an EQ alone, for the ears: a band-pass in the place of the band, on what leaves the EQ."""

import numpy as np

from goshawk.core.dsp.equaliser import EqualiserSettings, band_alone_sections
from goshawk.core.dsp.filter_bank import FilterBank
from goshawk.core.stage import Block


class BandAlone:
    """For blocks of up to ``max_frames``, two channels."""

    def __init__(self, max_frames: int) -> None:
        self._bank = FilterBank(2, 2, max_frames)

    def process(self, settings: EqualiserSettings, band: str, sound: Block) -> Block:
        """Only what the band works on, of a sound of shape (frames, 1 or 2), shape (frames, 2)."""
        out = np.repeat(sound, 2 // sound.shape[1], axis=1)
        self._bank.set(band_alone_sections(settings, band))
        self._bank.process(out)
        return out

"""Spectra of the sound before and after a stage that somebody looks at."""

import numpy as np

from goshawk.core.graph.stations import at_stage
from goshawk.core.measure.spectrum import BandSpectrum
from goshawk.core.stage import Block
from goshawk.page_messages.chain import Spectra
from goshawk.timeline.seams import Seams

SIDES = ("before", "after")


class StageSpectra:
    """Spectra before and after one stage."""

    def __init__(self, stage_id: str) -> None:
        self._stage_id = stage_id
        self._sides = {at_stage(side, stage_id): BandSpectrum() for side in SIDES}
        self._seams = {name: Seams() for name in self._sides}

    @property
    def sounds(self) -> list[str]:
        """What it has to hear."""
        return list(self._sides)

    def push(self, name: str, frame: int, sound: Block) -> None:
        """Hear more of one of them from a frame on, shape (frames, 2)."""
        side = self._sides[name]
        if not self._seams[name].goes_on(frame, len(sound)):
            side.break_off()
        side.push(sound.mean(axis=1, dtype=np.float64))

    def message(self) -> str:
        """What the page gets."""
        before, after = (side.levels_db() for side in self._sides.values())
        return Spectra(stage_id=self._stage_id, before_db=before, after_db=after).model_dump_json()

"""Sound at a stage, for eyes and ears: spectra before and after it, and one band of an EQ alone."""

import numpy as np

from goshawk.core.dsp.equaliser import EqualiserSettings, band_alone_sections
from goshawk.core.dsp.filter_bank import FilterBank
from goshawk.core.measure.spectrum import BandSpectrum
from goshawk.core.stage import Block
from goshawk.web.messages import Spectra

MAX_FRAMES = 4096


def engine_point(point: str) -> str:
    """Where the engine is to listen for a page's point: one band alone (``band:eq:bell_2``) is made from what
    leaves its EQ."""
    kind, _, rest = point.partition(":")
    return f"after:{rest.partition(':')[0]}" if kind == "band" else point


def band_stage(point: str) -> str | None:
    """The EQ whose band a page listens to alone; None at any other point."""
    kind, _, rest = point.partition(":")
    return rest.partition(":")[0] if kind == "band" else None


class StageSpectra:
    """Spectra before and after one stage."""

    def __init__(self) -> None:
        self._sides = {"before": BandSpectrum(), "after": BandSpectrum()}

    def push(self, side: str, sound: Block) -> None:
        """Hear more, shape (frames, 2)."""
        self._sides[side].push(sound.mean(axis=1, dtype=np.float64))

    def message(self, stage_id: str) -> str:
        """What the page gets."""
        before, after = (self._sides[side].levels_db() for side in ("before", "after"))
        return Spectra(stage_id=stage_id, before_db=before, after_db=after).model_dump_json()


class BandAlone:
    """A band-pass in the place of one band of an EQ."""

    def __init__(self) -> None:
        self._bank = FilterBank(2, 2, MAX_FRAMES)

    def process(self, settings: EqualiserSettings, band: str, packet: bytes) -> bytes:
        """A packet of interleaved stereo float32 with only what the band works on."""
        sound = np.frombuffer(packet, np.float32).reshape(-1, 2).copy()
        self._bank.set(band_alone_sections(settings, band))
        for start in range(0, len(sound), MAX_FRAMES):
            self._bank.process(sound[start : start + MAX_FRAMES])
        return sound.tobytes()

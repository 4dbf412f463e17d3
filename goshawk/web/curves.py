"""What stages do to a level or a frequency, as it is drawn."""

from functools import lru_cache

import numpy as np

from goshawk.core.chain_slots import Slot
from goshawk.core.dsp.compressor import CompressorSettings, static_curve_db
from goshawk.core.dsp.equaliser import Equaliser, EqualiserSettings
from goshawk.core.dsp.high_pass import HighPass, HighPassSettings
from goshawk.core.dsp.matched import response_db
from goshawk.core.rig import Rig
from goshawk.page_messages.live import CURVE_INPUTS_DBFS, CURVE_POINTS

_FREQUENCIES_HZ = np.geomspace(20.0, 20_000.0, CURVE_POINTS)


def curves_of(rig: Rig) -> dict[str, list[float]]:
    """The curve of every stage that has one, by its id."""
    return {
        slot.id: curve
        for one in rig.inputs
        for slot in one.chain
        if (curve := _curve_of(slot)) is not None
    }


def _curve_of(slot: Slot) -> list[float] | None:
    if slot.stage not in ("compressor", "high_pass", "eq"):
        return None
    return _drawn(slot.settings)


@lru_cache(128)
def _drawn(settings: CompressorSettings | HighPassSettings | EqualiserSettings) -> list[float]:
    match settings:
        case CompressorSettings():
            curve = static_curve_db(settings, np.array(CURVE_INPUTS_DBFS, float))
        case HighPassSettings():
            curve = response_db(HighPass.sections(settings), _FREQUENCIES_HZ)
        case EqualiserSettings():
            curve = response_db(Equaliser.sections(settings), _FREQUENCIES_HZ)
    rounded: list[float] = curve.round(2).tolist()
    return rounded

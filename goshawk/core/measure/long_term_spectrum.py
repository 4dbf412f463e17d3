"""The long-term average spectrum of a voice in thirds of an octave, beside that of speech in general.

The reference: D. Byrne et al., "An international comparison of long-term average speech spectra", J. Acoust. Soc.
Am. 96(4), 1994, Table II, women and men together over twelve languages, at 70 dB in all.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goshawk.core.dsp.bands import BAND_CENTRES_HZ, band_weights
from goshawk.core.dsp.zones import Zone
from goshawk.core.measure.levels import HOP_FRAMES
from goshawk.core.stage import Floats
from goshawk.units import power_to_db

_REFERENCE_DB = {
    63: 38.6, 80: 43.5, 100: 54.4, 125: 57.7, 160: 56.8, 200: 60.2, 250: 60.3, 315: 59.0, 400: 62.1,
    500: 62.1, 630: 60.5, 800: 56.8, 1000: 53.7, 1250: 53.0, 1600: 52.0, 2000: 48.7, 2500: 48.1,
    3150: 46.8, 4000: 45.6, 5000: 44.5, 6300: 44.3, 8000: 43.7, 10_000: 43.4, 12_500: 41.3, 16_000: 40.7,
}  # fmt: skip
THIRD_CENTRES_HZ: Floats = 1000.0 * 2.0 ** (np.arange(-12, 13) / 3.0)
"""25 bands, 62.5 Hz to 16 kHz (base two, as IEC 61260-1 allows)."""

REFERENCE_DB: Floats = np.array(list(_REFERENCE_DB.values()))
ALIGNED_HZ = (200.0, 5000.0)
"""A spectrum is brought to the reference's level over what carries speech."""

_FFT_FRAMES = 4096
_PIECE_HOPS = 8
_WINDOW = np.hanning(_FFT_FRAMES)


def mean_power(sound: Floats, wanted: NDArray[np.bool_]) -> Floats | None:
    """Mean power in each bin of pieces of 85 ms of ``sound``, shape (frames,), which lie wholly in the hops
    wanted; None if there are none. The sum over the bins is the mean square."""
    count = min(len(wanted), len(sound) // HOP_FRAMES)
    whole = np.convolve(wanted[:count], np.ones(_PIECE_HOPS + 1), "valid") > _PIECE_HOPS
    starts = np.flatnonzero(whole)[:: _PIECE_HOPS // 2] * HOP_FRAMES
    starts = starts[starts + _FFT_FRAMES <= len(sound)]
    if not len(starts):
        return None
    power = np.zeros(_FFT_FRAMES // 2 + 1)
    for start in starts:
        power += np.abs(np.fft.rfft(sound[start : start + _FFT_FRAMES] * _WINDOW)) ** 2
    scaled: Floats = power * (2.0 / (_FFT_FRAMES * float((_WINDOW**2).sum()) * len(starts)))
    return scaled


def thirds_db(power: Floats) -> Floats:
    """Levels in THIRD_CENTRES_HZ, in dBFS (RMS), of what ``mean_power`` gives."""
    weights = band_weights(_FFT_FRAMES, THIRD_CENTRES_HZ, 3)
    levels: Floats = power_to_db(weights @ power, 1e-14)
    return levels


def above_reference_db(levels_db: Floats) -> Floats:
    """How far each third stands above the reference brought to the same level."""
    apart = levels_db - REFERENCE_DB
    inside = (ALIGNED_HZ[0] <= THIRD_CENTRES_HZ) & (ALIGNED_HZ[1] >= THIRD_CENTRES_HZ)
    above: Floats = apart - apart[inside].mean()
    return above


def zone_db(above_db: Floats, zone: Zone, lowest_hz: float = 0.0) -> float | None:
    """Mean of the thirds of a zone that lie above ``lowest_hz``; None if none does."""
    inside = (max(zone.from_hz, lowest_hz) <= THIRD_CENTRES_HZ) & (zone.to_hz > THIRD_CENTRES_HZ)
    return float(above_db[inside].mean()) if inside.any() else None


RESONANCE_HZ = (300.0, 4000.0)
RESONANCE_OVER_DB = 8.0
"""Over what lies two thirds of an octave to either side: a voice's own formants are broader."""

_NEIGHBOURS = (-4, -3, -2, 2, 3, 4)


@dataclass(frozen=True)
class Resonance:
    """A narrow peak, and by how much it stands over its surroundings."""

    frequency_hz: float
    over_db: float


def resonances(power: Floats, pitch_hz: float) -> list[Resonance]:
    """Narrow peaks of what ``mean_power`` gives, in sixths of an octave, the strongest first. The lowest harmonics of a
    voice that hardly moves its pitch are none."""
    levels = power_to_db(band_weights(_FFT_FRAMES) @ power, 1e-14)
    harmonics = pitch_hz * np.arange(1, 5)
    found: list[Resonance] = []
    for band, hz in enumerate(BAND_CENTRES_HZ):
        is_inside = RESONANCE_HZ[0] <= hz <= RESONANCE_HZ[1]
        if not is_inside or np.abs(np.log2(hz / harmonics)).min() < 0.17:
            continue
        over = levels[band] - float(np.median([levels[band + step] for step in _NEIGHBOURS]))
        if over > RESONANCE_OVER_DB and levels[band] >= levels[band - 1 : band + 2].max():
            found.append(Resonance(float(hz), float(over)))
    return sorted(found, key=lambda one: -one.over_db)


def common_resonance(of_takes: list[list[Resonance]]) -> Resonance | None:
    """One that every take has, whatever is said: it is the room's, the desk's or the microphone's."""
    for first in of_takes[0] if of_takes else []:
        alike = [
            [one for one in take if abs(np.log2(first.frequency_hz / one.frequency_hz)) < 0.2]
            for take in of_takes
        ]
        if all(alike):
            return Resonance(first.frequency_hz, min(take[0].over_db for take in alike))
    return None

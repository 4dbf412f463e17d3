"""Bands of a fraction of an octave, and how the bins of a spectrum lie in them."""

import numpy as np

from goshawk.core.stage import Floats
from goshawk.units import SAMPLE_RATE_HZ, db_to_power, power_to_db

BANDS_PER_OCTAVE = 6
BAND_CENTRES_HZ: Floats = 1000.0 * 2.0 ** (np.arange(-34, 27) / BANDS_PER_OCTAVE)
"""61 bands around 1 kHz (base two, as IEC 61260-1 allows)."""

LEAST_DB = -120.0


def band_weights(
    fft_frames: int, centres_hz: Floats = BAND_CENTRES_HZ, bands_per_octave: int = BANDS_PER_OCTAVE
) -> Floats:
    """How much of each bin of a real FFT of ``fft_frames`` lies in each band, shape (bands, bins)."""
    half = 2.0 ** (0.5 / bands_per_octave)
    width_hz = SAMPLE_RATE_HZ / fft_frames
    bins_hz = np.arange(fft_frames // 2 + 1) * width_hz
    low = np.maximum.outer(centres_hz / half, bins_hz - width_hz / 2)
    high = np.minimum.outer(centres_hz * half, bins_hz + width_hz / 2)
    weights: Floats = np.maximum(0.0, high - low) / width_hz
    return weights


def in_db(power: Floats) -> list[float]:
    """Powers as levels in dB, for a screen."""
    levels: list[float] = (power_to_db(power, db_to_power(LEAST_DB))).round(1).tolist()
    return levels

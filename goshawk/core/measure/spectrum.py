"""Spectra as people look at them: power in bands of a sixth of an octave, from 20 Hz to 20 kHz."""

import numpy as np

from goshawk.core.stage import Floats
from goshawk.units import SAMPLE_RATE_HZ

BANDS_PER_OCTAVE = 6
BAND_CENTRES_HZ: Floats = 1000.0 * 2.0 ** (np.arange(-34, 27) / BANDS_PER_OCTAVE)
"""61 bands around 1 kHz (base two, as IEC 61260-1 allows)."""

LEAST_DB = -120.0
WINDOW_FRAMES = 4096
_WINDOW = np.hanning(WINDOW_FRAMES)


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
    levels: list[float] = (
        (10.0 * np.log10(np.maximum(power, 10.0 ** (LEAST_DB / 10.0)))).round(1).tolist()
    )
    return levels


class BandSpectrum:
    """Follows a sound and gives its levels in bands, in dBFS (RMS: a full-scale sine reads −3)."""

    _weights: Floats | None = None

    def __init__(self, smoothing: float = 0.6) -> None:
        self._sound = np.zeros(WINDOW_FRAMES)
        self._smoothing = smoothing
        self._power: Floats | None = None

    def push(self, sound: Floats) -> None:
        """Hear more of the sound, shape (frames,)."""
        self._sound = np.concatenate([self._sound, sound])[-WINDOW_FRAMES:]

    def levels_db(self) -> list[float]:
        """The levels now, smoothed a little against those of the last call."""
        if BandSpectrum._weights is None:
            BandSpectrum._weights = band_weights(WINDOW_FRAMES)
        # Parseval for one half of the spectrum.
        scale = 2.0 / (WINDOW_FRAMES * float((_WINDOW**2).sum()))
        fresh = BandSpectrum._weights @ (np.abs(np.fft.rfft(self._sound * _WINDOW)) ** 2) * scale
        old = fresh if self._power is None else self._power
        self._power = self._smoothing * old + (1.0 - self._smoothing) * fresh
        return in_db(self._power)

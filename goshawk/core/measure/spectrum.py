"""Spectra as people look at them: power in bands of a sixth of an octave, from 20 Hz to 20 kHz."""

import numpy as np

from goshawk.core.dsp.bands import band_weights, in_db
from goshawk.core.stage import Floats

WINDOW_FRAMES = 4096
_WINDOW = np.hanning(WINDOW_FRAMES)


class BandSpectrum:
    """Follows a sound and gives its levels in bands, in dBFS (RMS: a full-scale sine reads −3)."""

    _weights: Floats | None = None

    def __init__(self, smoothing: float = 0.6) -> None:
        self._sound = np.zeros(WINDOW_FRAMES)
        self._smoothing = smoothing
        self._power: Floats | None = None

    def break_off(self) -> None:
        """What comes next does not follow what was heard."""
        self._sound = np.zeros(WINDOW_FRAMES)

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

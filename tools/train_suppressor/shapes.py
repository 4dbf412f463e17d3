"""Small tools for sounds: filters by the spectrum, levels."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from scipy.fft import irfft, next_fast_len, rfft

from goshawk.units import SAMPLE_RATE_HZ as RATE_HZ

Mono = NDArray[np.float32]
_COARSE_HZ = np.linspace(0.0, RATE_HZ / 2, 4097, dtype=np.float32)
"""Where gains are computed; between these they go in a straight line."""


def shaped(sound: Mono, gain: Callable[[Mono], Mono]) -> Mono:
    """A sound through a gain that is a function of frequency in Hz."""
    frames = len(sound)
    size = next_fast_len(frames, real=True)
    spectrum = rfft(sound.astype(np.float32), size)
    gains = gain(_COARSE_HZ).astype(np.float32)
    place = np.arange(len(spectrum), dtype=np.float32) * np.float32(
        (len(gains) - 1) / len(spectrum)
    )
    spectrum *= np.interp(place, np.arange(len(gains)), gains).astype(np.float32)
    return irfft(spectrum, size)[:frames]


def band_pass(sound: Mono, low_hz: float, high_hz: float) -> Mono:
    """Gently outside of a band."""
    return shaped(
        sound,
        lambda hz: (
            1 / np.sqrt((1 + (low_hz / np.maximum(hz, 1.0)) ** 4) * (1 + (hz / high_hz) ** 8))
        ),
    )


def to_rms(sound: Mono, rms: float = 1.0) -> Mono:
    """At another level; silence stays silence."""
    now = float(np.sqrt(np.mean(np.square(sound, dtype=np.float64))))
    return (sound * (rms / now) if now > 0 else sound).astype(np.float32)


def speech_rms(sound: Mono) -> float:
    """RMS over the 10 ms pieces that are no more than 30 dB under the loudest."""
    pieces = sound[: len(sound) // 480 * 480].reshape(-1, 480)
    power = np.square(pieces, dtype=np.float64).mean(axis=1)
    if not len(power) or power.max() <= 0:
        return 0.0
    return float(np.sqrt(power[power > power.max() / 1000].mean()))

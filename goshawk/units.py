"""Every conversion between units, in one place.

0 dBFS is the peak of a full-scale sine. RMS levels are plain RMS against 1.0, so a
full-scale sine reads -3.01 dBFS RMS.
"""

import math
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

FloatOrFloats = TypeVar("FloatOrFloats", float, NDArray[np.float64])

SAMPLE_RATE_HZ = 48_000
"""The one rate inside Goshawk; other rates are resampled at the edge."""

SILENCE_DBFS = -120.0
"""What a level meter says of digital silence: below the noise of 16-bit and 20-bit converters."""

SILENCE_LINEAR = 10.0 ** (SILENCE_DBFS / 20.0)

CLIPPED_DBFS = -0.1
"""A sample peak above this is taken for full scale: clipped, or about to be."""


def db_to_linear(db: float) -> float:
    """Amplitude factor of a gain in dB."""
    return float(10.0 ** (db / 20.0))


def db_to_power(db: FloatOrFloats) -> FloatOrFloats:
    """Power factor of a gain in dB, of one or of many."""
    power: FloatOrFloats = 10.0 ** (db / 10.0)
    return power


def power_to_db(power: NDArray[np.float64], least: float) -> NDArray[np.float64]:
    """Levels in dB of powers, none less than that of ``least``."""
    levels: NDArray[np.float64] = 10.0 * np.log10(np.maximum(power, least))
    return levels


def amplitudes_to_db(amplitudes: NDArray[np.floating]) -> NDArray[np.float64]:
    """As ``linear_to_db``, of many."""
    levels: NDArray[np.float64] = 20.0 * np.log10(np.maximum(np.abs(amplitudes), SILENCE_LINEAR))
    return levels


def linear_to_db(linear: float) -> float:
    """Gain or level in dB of an amplitude; silence and less reads SILENCE_DBFS."""
    return 20.0 * math.log10(max(abs(linear), SILENCE_LINEAR))


def ms_to_frames(ms: float, sample_rate_hz: int = SAMPLE_RATE_HZ) -> int:
    """The nearest whole number of frames."""
    return round(ms * sample_rate_hz / 1000.0)


def frames_to_ms(frames: float, sample_rate_hz: int = SAMPLE_RATE_HZ) -> float:
    """Duration of a number of frames."""
    return frames * 1000.0 / sample_rate_hz


def one_pole_coefficient(time_ms: float, sample_rate_hz: int = SAMPLE_RATE_HZ) -> float:
    """Feedback of a one-pole smoother that covers 63 % (1 - 1/e) of a step in ``time_ms``."""
    if time_ms <= 0.0:
        return 0.0
    return math.exp(-1000.0 / (time_ms * sample_rate_hz))


def in_words(value: float, unit: str = "") -> str:
    """A number as people read it: a true minus, no digits that say nothing, and its unit."""
    text = f"{value:.2f}".rstrip("0").rstrip(".") if isinstance(value, float) else str(value)
    return f"{text.replace('-', '−')} {unit}".strip()

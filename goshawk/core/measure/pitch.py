"""The pitch of a voice: its fundamental frequency in pieces of 10 ms.

YIN, steps 1 to 5: A. de Cheveigné and H. Kawahara, "YIN, a fundamental frequency estimator for speech and
music", J. Acoust. Soc. Am. 111(4), 2002. The sound is brought to a twelfth of a millisecond first, which is
fine enough with the parabola of step 5.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goshawk.core.measure.levels import HOP_FRAMES, SPEECH
from goshawk.core.stage import Floats
from goshawk.units import SAMPLE_RATE_HZ

LOWEST_HZ = 60.0
HIGHEST_HZ = 500.0
"""From a bass's lowest notes to a laugh; spoken pitch hardly leaves it."""

THRESHOLD = 0.15
"""Of the normalised difference, as the paper advises (0.1 to 0.15)."""

LEAST_HOPS = 50
_STEP = 4
_RATE_HZ = SAMPLE_RATE_HZ / _STEP
_WINDOW = int(_RATE_HZ / LOWEST_HZ) * 2
_LONGEST = int(_RATE_HZ / LOWEST_HZ)
_SHORTEST = int(_RATE_HZ / HIGHEST_HZ)
_HOP = HOP_FRAMES // _STEP


@dataclass(frozen=True)
class PitchRange:
    """Of the voiced hops: 5th percentile, median and 95th percentile, in Hz."""

    low_hz: float
    median_hz: float
    high_hz: float


def pitches_hz(sound: Floats) -> Floats:
    """Fundamental frequency at each hop of ``sound``, shape (frames,) at 48 kHz; NaN where nothing is voiced."""
    size = -len(sound) // SAMPLE_RATE_HZ * -SAMPLE_RATE_HZ  # whole seconds are quick to transform
    spectrum = np.fft.rfft(sound, size)
    hz = np.fft.rfftfreq(size, 1.0 / SAMPLE_RATE_HZ)
    # What YIN needs of a voice lies under 1 kHz; what lies above would fold over or blur the dips.
    spectrum *= 1.0 / (1.0 + (hz / 1000.0) ** 8)
    low = np.fft.irfft(spectrum, size)[::_STEP]
    count = len(sound) // HOP_FRAMES
    padded = np.pad(low, (_WINDOW // 2, _WINDOW + _LONGEST))
    found = np.full(count, np.nan)
    for first in range(0, count, 500):
        at = np.arange(first, min(count, first + 500)) * _HOP
        pieces = padded[at[:, None] + np.arange(_WINDOW + _LONGEST)]
        found[first : first + len(at)] = _yin(pieces)
    return found


def _yin(pieces: Floats) -> Floats:
    """Pitch of each row."""
    size = 1 << int(np.ceil(np.log2(pieces.shape[1] + _WINDOW)))
    ahead = np.fft.rfft(pieces, size)
    here = np.fft.rfft(pieces[:, :_WINDOW], size)
    alike = np.fft.irfft(ahead * here.conj(), size)[:, : _LONGEST + 1]
    energy = np.cumsum(np.pad(pieces**2, ((0, 0), (1, 0))), axis=1)
    energy = energy[:, _WINDOW : _WINDOW + _LONGEST + 1] - energy[:, : _LONGEST + 1]
    difference = np.maximum(energy[:, :1] + energy - 2.0 * alike, 0.0)
    lags = np.arange(1, _LONGEST + 1)
    mean = np.cumsum(difference[:, 1:], axis=1) / lags
    normal = np.ones_like(difference)
    normal[:, 1:] = difference[:, 1:] / np.maximum(mean, 1e-20)
    found = np.full(len(pieces), np.nan)
    for row, one in enumerate(normal):
        below = np.flatnonzero(one[_SHORTEST:-1] < THRESHOLD)
        if not len(below):
            continue
        lag = int(below[0]) + _SHORTEST
        while lag + 1 < _LONGEST and one[lag + 1] < one[lag]:
            lag += 1
        a, b, c = one[lag - 1], one[lag], one[min(lag + 1, _LONGEST)]
        bend = a - 2.0 * b + c
        found[row] = _RATE_HZ / (lag + (0.5 * (a - c) / bend if bend > 0.0 else 0.0))
    return found


def pitch_range(sound: Floats, activity: NDArray[np.integer]) -> PitchRange | None:
    """The range of a voice, from its sound, shape (frames,), and its hops' activity; None of too little that is
    voiced."""
    count = min(len(activity), len(sound) // HOP_FRAMES)
    found = pitches_hz(sound)[:count][activity[:count] == SPEECH]
    found = found[np.isfinite(found)]
    if len(found) < LEAST_HOPS:
        return None
    low, middle, high = np.percentile(found, (5, 50, 95))
    return PitchRange(float(low), float(middle), float(high))

"""What the suppressor's voice model sees of a window: levels in bands, how they stand over the noise, what the classical gain has
made of them, how they have moved, and how peaked they are in time.

The bands are triangles whose corners lie 100 Hz apart up to 1 kHz and about a ninth of their frequency above: near the critical
bands of E. Zwicker and E. Terhardt, J. Acoust. Soc. Am. 68(5), 1980, but finer below 1 kHz, where the harmonics of a voice lie apart.
Between corners a gain goes in a straight line of decibels, so that none is a step.
"""

import numpy as np
from numpy.typing import NDArray

from goshawk.core.compiled import kernel
from goshawk.core.dsp.fast_math import power_db
from goshawk.core.stage import Floats
from goshawk.units import SAMPLE_RATE_HZ

Singles = NDArray[np.float32]

LOW_BANDS = 10
BANDS = 40
HIGHEST_HZ = 20_000.0
CORNERS_HZ: Floats = np.concatenate(
    [100.0 * np.arange(LOW_BANDS) + 50.0, np.geomspace(1060.0, HIGHEST_HZ, BANDS - LOW_BANDS)]
)

TICKS = 8
"""Parts of a window whose peaks are compared."""

CRESTS = 12
FEATURES = 4 * BANDS + CRESTS
PAST_HOPS = 2
"""Levels are compared with those of so many hops before."""

_TINY = 1e-14


def corners_of_bins(window_frames: int) -> tuple[NDArray[np.int64], Floats]:
    """Of each bin of a real FFT of ``window_frames``: the band whose corner lies below it, and how far it has come towards the
    next (0 to 1). Shapes (bins,)."""
    hz = np.arange(window_frames // 2 + 1) * SAMPLE_RATE_HZ / window_frames
    below = np.clip(np.searchsorted(CORNERS_HZ, hz, side="right") - 1, 0, BANDS - 2)
    share = (hz - CORNERS_HZ[below]) / (CORNERS_HZ[below + 1] - CORNERS_HZ[below])
    return below.astype(np.int64), np.clip(share, 0.0, 1.0)


def band_sizes(below: NDArray[np.int64], share: Floats) -> Floats:
    """How many bins each band's triangle comes to, shape (BANDS,)."""
    sizes = np.bincount(below, 1.0 - share, BANDS) + np.bincount(below + 1, share, BANDS)
    return sizes.astype(np.float64)


@kernel
def in_bands(
    values: Floats, below: NDArray[np.int64], share: Floats, sizes: Floats, out: Floats
) -> None:
    """Means of the bins' values under each band's triangle, into ``out`` (BANDS,)."""
    for b in range(out.shape[0]):
        out[b] = 0.0
    for k in range(values.shape[0]):
        b = below[k]
        out[b] += (1.0 - share[k]) * values[k]
        out[b + 1] += share[k] * values[k]
    for b in range(out.shape[0]):
        out[b] /= sizes[b]


@kernel
def _crests(sound: Floats, first: int, out: Singles, place: int) -> None:
    """How peaked the window is in time, as it is and differenced once, twice and three times (each lifts what is high by 6 dB
    an octave), into ``out`` from ``place`` on: the highest of its ticks over their mean, the last over the mean, and the place of
    the highest. ``sound`` is a ring whose oldest frame stands at ``first``."""
    frames = sound.shape[0]
    length = frames // TICKS
    power = np.zeros((4, TICKS))
    one = two = three = 0.0
    for i in range(frames):
        at = first + i
        x = sound[at if at < frames else at - frames]
        d1 = x - one if i > 0 else 0.0
        d2 = d1 - two if i > 1 else 0.0
        d3 = d2 - three if i > 2 else 0.0
        one, two, three = x, d1, d2
        tick = i // length
        power[0, tick] += x * x
        power[1, tick] += d1 * d1
        power[2, tick] += d2 * d2
        power[3, tick] += d3 * d3
    for row in range(4):
        mean, highest, where = 0.0, 0.0, 0
        for tick in range(TICKS):
            mean += power[row, tick] / TICKS
            if power[row, tick] > highest:
                highest, where = power[row, tick], tick
        mean += _TINY * length
        out[place + 3 * row] = np.float32(
            power_db(highest / mean + _TINY) / 9.0 if highest > 0.0 else 0.0
        )
        out[place + 3 * row + 1] = np.float32(
            max(-1.0, power_db(power[row, TICKS - 1] / mean + _TINY) / 9.0)
        )
        out[place + 3 * row + 2] = np.float32(where / (TICKS - 1.0))


@kernel
def see(
    power: Floats,
    noise: Floats,
    gains: Floats,
    sound: Floats,
    first: int,
    full: float,
    below: NDArray[np.int64],
    share: Floats,
    sizes: Floats,
    past_db: Floats,
    scratch: Floats,
    out: Singles,
) -> None:
    """The features of one window, into ``out`` (FEATURES,). ``power``, ``noise`` and ``gains`` are of its bins; ``full`` is the
    power of a bin at full scale; ``past_db`` (PAST_HOPS, BANDS) are the levels of the hops before, the newest first, and moves on;
    ``scratch`` has shape (2, BANDS)."""
    levels, others = scratch[0], scratch[1]
    in_bands(power, below, share, sizes, levels)
    for b in range(BANDS):
        levels[b] = power_db(levels[b] / full + 1e-12)
    in_bands(noise, below, share, sizes, others)
    for b in range(BANDS):
        over = levels[b] - power_db(others[b] / full + 1e-12)
        out[b] = np.float32((levels[b] + 70.0) / 30.0)
        out[BANDS + b] = np.float32(min(40.0, max(-10.0, over)) / 20.0)
        moved = levels[b] - past_db[PAST_HOPS - 1, b]
        out[3 * BANDS + b] = np.float32(min(30.0, max(-30.0, moved)) / 15.0)
    in_bands(gains, below, share, sizes, others)
    for b in range(BANDS):
        out[2 * BANDS + b] = np.float32(max(-40.0, 2.0 * power_db(others[b] + 1e-4)) / 20.0)
    for n in range(PAST_HOPS - 1, 0, -1):
        for b in range(BANDS):
            past_db[n, b] = past_db[n - 1, b]
    for b in range(BANDS):
        past_db[0, b] = levels[b]
    _crests(sound, first, out, 4 * BANDS)

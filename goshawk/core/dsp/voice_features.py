"""What the suppressor's voice model sees of a window: levels in bands, how they stand over the noise, what the classical gain has
made of them, how they have moved, and how peaked they are in time.

The bands are triangles whose corners lie 100 Hz apart up to 1 kHz and about a ninth of their frequency above: near the critical
bands of E. Zwicker and E. Terhardt, J. Acoust. Soc. Am. 68(5), 1980, but finer below 1 kHz, where the harmonics of a voice lie apart.
Between corners a gain goes in a straight line of decibels, so that none is a step.
"""

import numpy as np
from numpy.typing import NDArray

from goshawk.core.compiled import kernel, summing
from goshawk.core.dsp.fast_math import power_db
from goshawk.core.dsp.sliding import Integers
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


def corners_of_bins(window_frames: int) -> tuple[Integers, Floats]:
    """Where the bins of a real FFT of ``window_frames`` lie among the bands' corners: the first bin of each stretch between two of
    them, and behind the last, shape (BANDS,); and of each bin how far it has come towards the next corner (0 to 1), shape (bins,)."""
    hz = np.arange(window_frames // 2 + 1) * SAMPLE_RATE_HZ / window_frames
    below = np.clip(np.searchsorted(CORNERS_HZ, hz, side="right") - 1, 0, BANDS - 2)
    share = (hz - CORNERS_HZ[below]) / (CORNERS_HZ[below + 1] - CORNERS_HZ[below])
    starts = np.searchsorted(below, np.arange(BANDS))
    return starts.astype(np.int64), np.clip(share, 0.0, 1.0)


def band_sizes(starts: Integers, share: Floats) -> Floats:
    """How many bins each band's triangle comes to, shape (BANDS,)."""
    rising = np.add.reduceat(share, starts[:-1])
    sizes: Floats = np.append(np.diff(starts) - rising, 0.0) + np.append(0.0, rising)
    return sizes


@summing
def in_bands(values: Floats, starts: Integers, share: Floats, sizes: Floats, out: Floats) -> None:
    """Means of the bins' values under each band's triangle, into ``out`` (BANDS,)."""
    carried = 0.0
    for b in range(BANDS - 1):
        first, end = starts[b], starts[b + 1]
        here, shares = values[first:end], share[first:end]
        whole = part = 0.0
        for k in range(here.shape[0]):
            whole += here[k]
            part += shares[k] * here[k]
        out[b] = (carried + whole - part) / sizes[b]
        carried = part
    out[BANDS - 1] = carried / sizes[BANDS - 1]


DIFFERENCES = 4
"""The sound as it is and differenced once, twice and three times (each lifts what is high by 6 dB an octave)."""


@summing
def _powers(sound: Floats, first: int, end: int, out: Floats, tick: int) -> None:
    """Sums of squares of the sound's differences from ``first`` (3 or later) up to ``end``, onto ``out`` (DIFFERENCES, TICKS)."""
    a, b = sound[first:end], sound[first - 1 : end - 1]
    c, d = sound[first - 2 : end - 2], sound[first - 3 : end - 3]
    none = once = twice = thrice = 0.0
    for i in range(a.shape[0]):
        none += a[i] * a[i]
        d1 = a[i] - b[i]
        once += d1 * d1
        d2 = a[i] - 2.0 * b[i] + c[i]
        twice += d2 * d2
        d3 = a[i] - 3.0 * (b[i] - c[i]) - d[i]
        thrice += d3 * d3
    out[0, tick] += none
    out[1, tick] += once
    out[2, tick] += twice
    out[3, tick] += thrice


@kernel
def _crests(sound: Floats, out: Singles, place: int) -> None:
    """How peaked the window is in time, by each of its differences, into ``out`` from ``place`` on: the highest of its ticks over
    their mean, the last over the mean, and the place of the highest."""
    length = sound.shape[0] // TICKS
    power = np.zeros((DIFFERENCES, TICKS))
    power[0, 0] = sound[0] ** 2 + sound[1] ** 2 + sound[2] ** 2
    power[1, 0] = (sound[1] - sound[0]) ** 2 + (sound[2] - sound[1]) ** 2
    power[2, 0] = (sound[2] - 2.0 * sound[1] + sound[0]) ** 2
    for tick in range(TICKS):
        _powers(sound, max(DIFFERENCES - 1, tick * length), (tick + 1) * length, power, tick)
    for row in range(DIFFERENCES):
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
    full: float,
    starts: Integers,
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
    in_bands(power, starts, share, sizes, levels)
    for b in range(BANDS):
        levels[b] = power_db(levels[b] / full + 1e-12)
    in_bands(noise, starts, share, sizes, others)
    for b in range(BANDS):
        over = levels[b] - power_db(others[b] / full + 1e-12)
        out[b] = np.float32((levels[b] + 70.0) / 30.0)
        out[BANDS + b] = np.float32(min(40.0, max(-10.0, over)) / 20.0)
        moved = levels[b] - past_db[PAST_HOPS - 1, b]
        out[3 * BANDS + b] = np.float32(min(30.0, max(-30.0, moved)) / 15.0)
    in_bands(gains, starts, share, sizes, others)
    for b in range(BANDS):
        out[2 * BANDS + b] = np.float32(max(-40.0, 2.0 * power_db(others[b] + 1e-4)) / 20.0)
    for n in range(PAST_HOPS - 1, 0, -1):
        for b in range(BANDS):
            past_db[n, b] = past_db[n - 1, b]
    for b in range(BANDS):
        past_db[0, b] = levels[b]
    _crests(sound, out, 4 * BANDS)

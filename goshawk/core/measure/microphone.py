"""What is wrong with a microphone's signal before anything is done to it: flat tops, a constant
offset, mains hum, a dead side, two sides of opposite polarity."""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from goshawk.core.stage import Block, Floats
from goshawk.units import SAMPLE_RATE_HZ, linear_to_db

WINDOW_S = 8.0
LEAST_S = 3.0

FLAT_SHARE = 0.9998
FLAT_RUN = 6
FLAT_RUNS = 5
"""Six samples within 0.002 dB of the highest, five times: a voice turns at its peaks within one or
two, and even a 60 Hz sine stays there for five."""

FLAT_LEAST_DBFS = -40.0

PLATEAU_SHARE = 0.94
PLATEAU_RUN = 9
PLATEAU_RUNS = 8
PLATEAU_ARCH = 0.2
PLATEAU_SPREAD = 0.02
"""Nine samples or more within half a dB of the highest, eight times, at one level to 0.2 dB. A parabola's middle third
lies 0.44 of its height above the rest."""

DEAD_BELOW_DB = 30.0
"""A side this far under the other carries its noise, or what leaks over, and no microphone."""

ALIVE_DBFS = -60.0

OPPOSITE = -0.6
"""Correlation of left and right below this: their sum loses most of the voice."""

HUM_SEGMENT = 1 << 15
HUM_HARMONICS = 5
_HUM_WINDOW = np.hanning(HUM_SEGMENT)
_HUM_BINS = math.ceil(60 * HUM_HARMONICS * HUM_SEGMENT / SAMPLE_RATE_HZ) + 16
"""No line is looked for above."""

HUM_PROMINENCE_DB = 12.0
PAUSES_QUANTILE = 0.15
"""Speech pauses in at least so many of the pieces of 0.7 s."""

HUM_LINES = 3
"""A line counts when it stands so far above what is around it; so many of the first five make hum. A
motor in the room makes a few, mains in a cable makes nearly all."""


@dataclass(frozen=True)
class Hum:
    """Mains hum: its frequency and the level of all its lines together."""

    frequency_hz: int
    level_dbfs: float


@dataclass(frozen=True)
class MicrophoneHealth:
    """What was found on both sides of a device, left first. Levels in dBFS."""

    peaks_dbfs: tuple[float, float]
    offsets_dbfs: tuple[float, float]
    flat_tops_dbfs: tuple[float | None, float | None]
    hums: tuple[Hum | None, Hum | None]
    correlation: float
    """Of left with right, -1 to 1; 0 if either is dead."""

    @property
    def dead_side(self) -> int | None:
        """0 if left is dead while right is not, 1 the other way round, else None."""
        left, right = self.peaks_dbfs
        if max(left, right) < ALIVE_DBFS or abs(left - right) < DEAD_BELOW_DB:
            return None
        return 0 if left < right else 1


def inspect_microphone(sound: Block) -> MicrophoneHealth:
    """Inspect some seconds of a device, shape (frames, 2), full scale 1."""
    good = (
        sound if np.isfinite(sound).all() else np.nan_to_num(sound, nan=0.0, posinf=0.0, neginf=0.0)
    )
    left, right = (np.ascontiguousarray(side, float) for side in good.T)
    left_mean, right_mean = float(left.mean()), float(right.mean())
    left_power = float(left @ left) / len(left) - left_mean**2
    right_power = float(right @ right) / len(right) - right_mean**2
    both = math.sqrt(max(0.0, left_power) * max(0.0, right_power))
    together = float(left @ right) / len(left) - left_mean * right_mean
    correlation = together / both if both > 1e-8 else 0.0
    found = [(_flat_top_dbfs(left), _hum(left))]
    is_same = np.array_equal(left, right)
    found.append(found[0] if is_same else (_flat_top_dbfs(right), _hum(right)))
    return MicrophoneHealth(
        (linear_to_db(float(np.abs(left).max())), linear_to_db(float(np.abs(right).max()))),
        (linear_to_db(left_mean), linear_to_db(right_mean)),
        (found[0][0], found[1][0]),
        (found[0][1], found[1][1]),
        correlation,
    )


def _runs_over(x: Floats, level: float) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Where runs of samples at a level and above begin, and where they have ended."""
    over = np.flatnonzero(x >= level)
    is_first = np.diff(over, prepend=-2) > 1
    is_last = np.diff(over, append=len(x) + 1) > 1
    return over[is_first], over[is_last] + 1


def _flat_top_dbfs(x: Floats) -> float | None:
    """The level at which one side is cut off, upper or lower half alone or both."""
    for half in (x, -x):
        peak = float(half.max())
        if linear_to_db(peak) <= FLAT_LEAST_DBFS:
            continue
        starts, ends = _runs_over(half, FLAT_SHARE * peak)
        if (ends - starts >= FLAT_RUN).sum() >= FLAT_RUNS:
            return linear_to_db(peak)
        plateau = _plateau(half, peak)
        if plateau is not None:
            return linear_to_db(plateau)
    return None


def _plateau(half: Floats, peak: float) -> float | None:
    """The level of flat tops that carry noise of what follows the clipping, as an amplifier's do: while they stay near
    the peak their middle is no higher than their sides, where a wave's is by almost half of the way."""
    low = PLATEAU_SHARE * peak
    flat, arched = [], 0
    for start, end in zip(*_runs_over(half, low), strict=True):
        if end - start < PLATEAU_RUN:
            continue
        third = (end - start) // 3
        middle = half[start + third : end - third]
        sides = np.concatenate([half[start : start + third], half[end - third : end]])
        if float(middle.mean() - sides.mean()) < PLATEAU_ARCH * (peak - low):
            flat.append(float(middle.mean()))
        else:
            arched += 1
    if len(flat) < PLATEAU_RUNS or len(flat) < arched:
        return None
    # Plateaus all lie at one level; loud waves do not.
    spread = float(np.percentile(flat, 90) - np.percentile(flat, 10))
    return float(np.median(flat)) if spread < PLATEAU_SPREAD * peak else None


def _hum(x: Floats) -> Hum | None:
    """Lines at 50 or 60 Hz and their multiples in what several spectra have in common: mains hum
    stays in the pauses."""
    window = _HUM_WINDOW
    starts = range(0, len(x) - HUM_SEGMENT + 1, HUM_SEGMENT // 2)
    spectra = [np.abs(np.fft.rfft(x[s : s + HUM_SEGMENT] * window)[:_HUM_BINS]) for s in starts]
    if not spectra:
        return None
    amplitude = np.quantile(spectra, PAUSES_QUANTILE, axis=0) * 2.0 / window.sum()
    bin_hz = SAMPLE_RATE_HZ / HUM_SEGMENT
    for frequency_hz in (50, 60):
        lines = []
        for harmonic in range(1, HUM_HARMONICS + 1):
            middle = round(frequency_hz * harmonic / bin_hz)
            line = float(amplitude[middle - 1 : middle + 2].max())
            around = np.concatenate(
                [amplitude[middle - 8 : middle - 3], amplitude[middle + 4 : middle + 9]]
            )
            if linear_to_db(line) - linear_to_db(float(np.median(around))) > HUM_PROMINENCE_DB:
                lines.append(line)
        if len(lines) >= HUM_LINES:
            return Hum(frequency_hz, linear_to_db(float(np.sqrt(np.sum(np.square(lines))))))
    return None

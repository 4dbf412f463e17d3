"""The gain of a spectral suppressor, bin by bin, and the noise estimate behind it.

Gain: the log-spectral amplitude estimator of Y. Ephraim and D. Malah, "Speech enhancement using a
minimum mean-square error log-spectral amplitude estimator", IEEE Trans. Acoust. Speech Signal
Process. 33(2), 1985, equation 20, with their decision-directed a-priori SNR (1984, equation 51).
The decision-directed smoothing is lighter where a sound stands clear of the noise, so that onsets
are not late, and heavier in noise, where it keeps single bins from twinkling; after the idea of
M. K. Hasan, S. Salahuddin and M. R. Khan, "A modified a priori SNR for speech enhancement using
spectral subtraction rules", IEEE Signal Process. Lett. 11(4), 2004.

Pauses: the gain falls towards the least one as speech becomes unlikely, as in the optimally modified
estimator of I. Cohen, "Optimal speech enhancement under signal presence uncertainty using
log-spectral amplitude estimator", IEEE Signal Process. Lett. 9(4), 2002, equation 9; the presence is
judged from a smoothed SNR, as in his equations 11 to 15.

Noise: T. Gerkmann and R. C. Hendriks, "Unbiased MMSE-based noise power estimation with low complexity
and low tracking delay", IEEE Trans. Audio Speech Lang. Process. 20(4), 2012: the power is averaged as
far as speech is unlikely to be in it (equations 18 and 22). An estimate that lies far under the least
power of the last seconds is stuck, and is let go (minimum statistics: R. Martin 2001).
"""

import math

import numpy as np

from goshawk.core.compiled import inlined, kernel
from goshawk.core.dsp.fast_math import exp2, log2
from goshawk.core.stage import Floats
from goshawk.units import db_to_power

HEAVY_SMOOTHING = 0.985
LIGHT_SMOOTHING = 0.85
CLEAR_DB = 10.0
"""From noise (0 dB) to this SNR the smoothing goes from heavy to light. Found by trial on four voices in
four noises (docs/measurements.md); a 5 ms hop is assumed."""

LEAST_PRIOR = 10.0**-2.0
"""The a-priori SNR is never under −20 dB: lower values let the residue twinkle."""

NEIGHBOURS = 2
"""So many bins on either side tell with each how clear of the noise a sound stands."""

FIXED_PRIOR = 10.0**1.5
"""15 dB: the SNR that speech is taken to have when it is present (Gerkmann and Hendriks, section IV)."""

CERTAIN = 40.0
"""At this a-posteriori SNR speech is certain (the formula gives 1 to 1e-15)."""

PRESENCE_FROM_DB = -7.0
PRESENCE_OVER_DB = 10.0
"""Speech is unlikely at a smoothed SNR of the first, and sure that much above it."""

_CLEAR = db_to_power(CLEAR_DB)
_CLEAR_PER_OCTAVE = 10.0 * math.log10(2.0) / CLEAR_DB
_FROM = db_to_power(PRESENCE_FROM_DB)
_SURE = _FROM * db_to_power(PRESENCE_OVER_DB)
_PRESENCE_PER_OCTAVE = 10.0 * math.log10(2.0) / PRESENCE_OVER_DB

_AWAY = FIXED_PRIOR / (1.0 + FIXED_PRIOR) * math.log2(math.e)

LEAST_COUNT = 8.0
"""A fresh estimate counts as so many frames: one frame of noise alone says little of its mean."""

SUB_WINDOW_HOPS = 100
SUB_WINDOWS = 8
"""The least smoothed power is sought over 8 times 0.5 s: longer than speech holds one bin."""

MINIMUM_BIAS = 2.6
"""The mean of a noise over the minimum of its power smoothed by 0.9 (Martin's bias, measured on white
noise for these lengths)."""

STUCK = 3.2
"""An estimate so many times under what the minima say is stuck."""

MOST_OVER_MINIMA = 2.5
"""An estimate so many times over what the minima say has speech in it."""

STUCK_PRESENCE = 0.3

NOISE, COUNT, PRIOR, SMOOTH, RECENT, LEAST, RATIO, SNR, PRESENCE, GAIN, SCRATCH = range(11)
"""Rows of the bins' state: noise power, frames behind it, previous clean power over noise, smoothed
power, its minimum in this sub-window and in all of them, a-posteriori SNR, the same less one,
its mean over neighbours and time, the gain, and room for what is between."""

ROWS = 11


def exponential_integral(x: float) -> float:
    """E1 of a positive ``x``: M. Abramowitz and I. A. Stegun, *Handbook of Mathematical Functions* (1964),
    5.1.53 (under 1, to 2e-7) and 5.1.56 (to 5e-5 of exp(-x)/x)."""
    if x < 1.0:
        series = 0.05519968 + x * (-0.00976004 + x * 0.00107857)
        series = -0.57721566 + x * (0.99999193 + x * (-0.24991055 + x * series))
        return series - math.log(x)
    above = 0.2677737343 + x * (8.6347608925 + x * (18.0590169730 + x * (8.5733287401 + x)))
    below = 3.9584969228 + x * (21.0996530827 + x * (25.6329561486 + x * (9.5733223454 + x)))
    return above / below * math.exp(-x) / x


_MOST_V = 16.0
_STEPS_PER_UNIT = 256.0
_ROOTS = np.arange(int(math.sqrt(_MOST_V) * _STEPS_PER_UNIT) + 2) / _STEPS_PER_UNIT
_FACTORS = np.array(
    [math.exp(-0.5 * 0.57721566490153)]
    + [root * math.exp(0.5 * exponential_integral(root * root)) for root in _ROOTS[1:]]
)
"""The square root of v times exp(E1(v)/2) over that root: smooth, so that a straight line between two places
is right to 1e-5, and takes a fifth of the time."""


@inlined
def _log_spectral_gain(prior: float, posterior: float) -> float:
    wiener = prior / (1.0 + prior)
    v = min(wiener * posterior, _MOST_V)
    root = max(1e-4, math.sqrt(v))
    place = root * _STEPS_PER_UNIT
    below = int(place)
    factor = _FACTORS[below] + (_FACTORS[below + 1] - _FACTORS[below]) * (place - below)
    gain = min(1.0, wiener * factor / root)
    return wiener if v >= _MOST_V else gain


@kernel
def log_spectral_gain(prior: float, posterior: float) -> float:
    """Ephraim and Malah 1985, equation 20, for an a-priori and an a-posteriori SNR (linear)."""
    return float(_log_spectral_gain(prior, posterior))


@kernel
def follow_minima(power: Floats, bins: Floats, minima: Floats, hop: int) -> None:
    """The least smoothed power of the last sub-windows, into LEAST; ``minima`` (SUB_WINDOWS, bins)."""
    for k in range(power.shape[0]):
        old = bins[SMOOTH, k] if hop > 1 else power[k]
        bins[SMOOTH, k] = 0.9 * old + 0.1 * power[k]
        bins[RECENT, k] = min(bins[RECENT, k], bins[SMOOTH, k])
    if hop % SUB_WINDOW_HOPS == 0:
        place = (hop // SUB_WINDOW_HOPS) % SUB_WINDOWS
        for k in range(power.shape[0]):
            minima[place, k] = bins[RECENT, k]
            bins[RECENT, k] = bins[SMOOTH, k]
            least = minima[0, k]
            for i in range(1, SUB_WINDOWS):
                least = min(least, minima[i, k])
            bins[LEAST, k] = least


@kernel
def _presence(power: Floats, noise: Floats, said: Floats, out: Floats) -> None:
    """How likely speech is in each bin (Gerkmann and Hendriks, equation 18)."""
    for k in range(power.shape[0]):
        ratio = min(power[k] / noise[k], CERTAIN)
        away = exp2(-ratio * _AWAY)
        presence = 1.0 / (1.0 + (1.0 + FIXED_PRIOR) * away)
        presence = 1.0 if ratio >= CERTAIN else presence
        is_stuck = said[k] * MINIMUM_BIAS > STUCK * noise[k]
        out[k] = min(presence, STUCK_PRESENCE) if is_stuck else presence


@kernel
def follow_noise(
    power: Floats, bins: Floats, longest: float, least_power: float, is_learned: bool
) -> None:
    """Average what is likely noise into NOISE, over ``longest`` frames at most."""
    noises, counts, least, presence = bins[NOISE], bins[COUNT], bins[LEAST], bins[SCRATCH]
    _presence(power, noises, least, presence)
    most = 1e300 if is_learned else MOST_OVER_MINIMA * MINIMUM_BIAS
    for k in range(power.shape[0]):
        absence = 1.0 - presence[k]
        count = min(counts[k] + absence, longest)
        noise = noises[k] + absence * (power[k] - noises[k]) / max(count, LEAST_COUNT)
        limit = least[k] * most
        is_over = 0.0 < limit < noise
        counts[k] = LEAST_COUNT if is_over else count
        noises[k] = max(limit if is_over else noise, least_power)


@inlined
def _share(power: float, start: float, end: float, per_octave: float) -> float:
    """How far a power ratio has come, in dB, on the way from ``start`` to ``end`` (linear): 0 to 1.
    ``per_octave`` is the share that 3 dB are."""
    return log2(min(max(power, start), end) / start) * per_octave


@kernel
def _mean_of_neighbours(values: Floats, neighbours: int, out: Floats) -> None:
    """The mean of each value and its neighbours on either side, as a running sum."""
    count, total = values.shape[0], 0.0
    for k in range(neighbours):
        total += values[k]
    for k in range(count):
        if k + neighbours < count:
            total += values[k + neighbours]
        if k > neighbours:
            total -= values[k - neighbours - 1]
        out[k] = max(total, 0.0) / (min(count - 1, k + neighbours) - max(0, k - neighbours) + 1)


@kernel
def _weigh_up(near: Floats, priors: Floats, snrs: Floats, out: Floats) -> None:
    """The a-priori SNR of every bin, into ``out``."""
    for k in range(near.shape[0]):
        clear = _share(near[k], 1.0, _CLEAR, _CLEAR_PER_OCTAVE)
        smoothing = HEAVY_SMOOTHING + (LIGHT_SMOOTHING - HEAVY_SMOOTHING) * clear
        out[k] = max(smoothing * priors[k] + (1.0 - smoothing) * snrs[k], LEAST_PRIOR)


@kernel
def _cleaned(gains: Floats, presences: Floats, least_gain: float, emphasis: float) -> None:
    """Towards the least gain as speech becomes unlikely, in place."""
    for k in range(gains.shape[0]):
        gain = max(gains[k], least_gain)
        absence = emphasis * (1.0 - _share(presences[k], _FROM, _SURE, _PRESENCE_PER_OCTAVE))
        gains[k] = gain * exp2(absence * log2(least_gain / gain))


@kernel
def find_gains(
    power: Floats,
    bins: Floats,
    least_gain: float,
    emphasis: float,
    words: float,
    neighbours_in_words: int,
) -> None:
    """The gain of every bin, into GAIN. ``emphasis`` 0 keeps what might be voice, 1 cleans the pauses; ``words`` 0 to 1 is how far it is
    known otherwise that somebody speaks: there nothing is a pause, and what stands clear is told from so many neighbours."""
    count = power.shape[0]
    noises, ratios, snrs, near = bins[NOISE], bins[RATIO], bins[SNR], bins[SCRATCH]
    presences, priors, gains = bins[PRESENCE], bins[PRIOR], bins[GAIN]
    for k in range(count):
        ratio = min(power[k] / noises[k], 1e5)
        ratios[k] = ratio
        snrs[k] = max(ratio - 1.0, 0.0)
    _mean_of_neighbours(snrs, NEIGHBOURS, near)
    if words > 0.0 and neighbours_in_words > NEIGHBOURS:
        _mean_of_neighbours(snrs, neighbours_in_words, gains)
        for k in range(count):
            near[k] += words * (gains[k] - near[k])
    for k in range(count):
        presences[k] = 0.7 * presences[k] + 0.3 * near[k]
    _weigh_up(near, priors, snrs, gains)
    for k in range(count):
        gain = _log_spectral_gain(gains[k], ratios[k])
        gains[k] = gain
        priors[k] = gain * gain * ratios[k]
    _cleaned(gains, presences, least_gain, emphasis * (1.0 - words))

"""Takes noise from between a voice's harmonics, where no gain of a band reaches it: a window of sound is averaged with the one a
period of the voice earlier, as far as both hold the same voice.

Averaging over periods: J. S. Lim, A. V. Oppenheim and L. D. Braida, "Evaluation of an adaptive comb filtering method for enhancing
speech degraded by white noise addition", IEEE Trans. Acoust. Speech Signal Process. 26(4), 1978; band by band and only as far as a band
is voiced, as in J.-M. Valin, "A hybrid DSP/deep learning approach to real-time full-band speech enhancement", IEEE MMSP 2018, section
II-C. It looks back only, so that it adds no delay.

The period is the lag of the highest normalised correlation; of its whole parts that correlate nearly as well the shortest is taken
(D. Talkin, "A robust algorithm for pitch tracking (RAPT)", in *Speech Coding and Synthesis*, Elsevier 1995, section 3).

How far a band is averaged follows from least squares. With N the noise's power over the voice's in the band and q the coherence of the
voice with itself a period ago, the earlier window is a second look at the voice whose error is N plus what the voice has changed by,
2(1 − q) of its power; two looks are weighed by the inverse of their errors. The band's measured coherence is q times the voice's share
of its power, which the suppressor's gain estimates (it is near Wiener's). Of so few bins both are rough: the change counts half, since q
is measured too low, and the weight is led back by the square of the measured coherence, so that a band without a voice is left alone.
Both were found by trial on two recorded voices (docs/measurements.md).

The coherence also says how much of a band is the voice: strokes and noise do not repeat with its period. No gain is to take more than
Wiener's would by that share (``keep_what_repeats``).
"""

import math

import numpy as np

from goshawk.core.compiled import inlined, kernel
from goshawk.core.dsp.fast_math import dot
from goshawk.core.stage import Floats
from goshawk.units import SAMPLE_RATE_HZ, ms_to_frames

SHORTEST_FRAMES = ms_to_frames(2.0)
LONGEST_FRAMES = ms_to_frames(18.75)
"""Of a period: 500 to 53 Hz."""

THINNED = 5
"""Lags are first sought in means of so many frames, then one by one around the best."""

AS_WELL = 0.85
"""A part of the best lag is taken for the period if it correlates this much of it."""

VOICED_FROM_HZ, VOICED_TO_HZ = 60.0, 2_000.0
"""Where periods are sought: under it lies rumble, above it harmonics drift out of step."""

CORNERS_HZ: Floats = np.array([0.0, 300.0, 600.0, 1000.0, 1500.0, 2200.0, 3200.0, 4500.0])
"""Corners of the triangular bands in which coherence is taken: wide enough for some bins in each. Above the last nothing is
averaged: there, windows a period apart have next to nothing in common."""

COMB_BANDS = len(CORNERS_HZ)

CHANGED = 1.0
"""What of the voice has changed, over 1 − q. It would be 2 were q not measured too low."""

HEARD, OWN, EARLIER, BOTH = range(4)
"""Rows of the bands' sums: power, power of the voice in it, power a period ago, and what both have in common."""

WEIGHT, COHERENCE = HEARD, BOTH
"""Rows of what is made of them: how much the earlier window counts, and how much of the power repeats."""

_TINY = 1e-20


@kernel
def _thin(sound: Floats, out: Floats) -> None:
    for i in range(out.shape[0]):
        total = 0.0
        for j in range(THINNED * i, THINNED * (i + 1)):
            total += sound[j]
        out[i] = total


@kernel
def _best(scores: Floats, first: int, last: int) -> int:
    best = first
    for lag in range(first, last + 1):
        if scores[lag] > scores[best]:
            best = lag
    return best


@kernel
def find_period(voice: Floats, past: Floats, thinned: Floats) -> int:
    """The period of ``voice`` (frames,) in ``past`` (2 · frames,), which ends where the voice ends, in frames; 0 if it has none.
    ``thinned`` (3, 2 · frames / THINNED) is room to work in."""
    frames = voice.shape[0]
    short, long, scores = thinned[0, : frames // THINNED], thinned[1], thinned[2]
    _thin(voice, short)
    _thin(past, long)
    count = short.shape[0]
    first, last = SHORTEST_FRAMES // THINNED, LONGEST_FRAMES // THINNED
    energy = dot(long[count - first : 2 * count - first], long[count - first : 2 * count - first])
    for lag in range(first, last + 1):
        product = dot(short, long[count - lag : 2 * count - lag])
        scores[lag] = product / math.sqrt(energy + _TINY) if product > 0.0 else 0.0
        energy += long[count - lag - 1] ** 2 - long[2 * count - lag - 1] ** 2
        energy = max(energy, 0.0)
    best = _best(scores, first, last)
    if scores[best] <= 0.0:
        return 0
    for parts in range(best // first, 1, -1):
        part = round(best / parts)
        if part > first:
            near = _best(scores, part - 1, part + 1)
            if scores[near] > AS_WELL * scores[best]:
                best = near
                break
    period, highest = 0, 0.0
    for lag in range(
        max(SHORTEST_FRAMES, THINNED * (best - 1)), min(LONGEST_FRAMES, THINNED * (best + 1)) + 1
    ):
        product = dot(voice, past[frames - lag : 2 * frames - lag])
        if product > highest:
            period, highest = lag, product
    return period


@inlined
def _between(values: Floats, place: float) -> float:
    b = int(place)
    return float(values[b] + (place - b) * (values[b + 1] - values[b]))


@kernel
def average(
    spectra: np.ndarray,
    earlier: np.ndarray,
    gains: Floats,
    strength: float,
    places: Floats,
    bands: Floats,
) -> None:
    """Average ``spectra`` (channels, bins) with those of a period ``earlier``, in place. ``gains`` (bins,) tell how much of each bin
    is voice, ``strength`` 0 to 1 how far this is let. ``places`` are those of the bins among the bands (see ``places_of_bins``);
    ``bands`` (4, COMB_BANDS) is room to work in, and keeps the bands' coherence."""
    bands[:] = 0.0
    for k in range(places.shape[0]):
        heard = before = both = 0.0
        for c in range(spectra.shape[0]):
            now, then = spectra[c, k], earlier[c, k]
            heard += now.real * now.real + now.imag * now.imag
            before += then.real * then.real + then.imag * then.imag
            both += now.real * then.real + now.imag * then.imag
        own = min(1.0, gains[k]) * heard
        b = int(places[k])
        far = places[k] - b
        bands[HEARD, b] += (1.0 - far) * heard
        bands[HEARD, b + 1] += far * heard
        bands[OWN, b] += (1.0 - far) * own
        bands[OWN, b + 1] += far * own
        bands[EARLIER, b] += (1.0 - far) * before
        bands[EARLIER, b + 1] += far * before
        bands[BOTH, b] += (1.0 - far) * both
        bands[BOTH, b + 1] += far * both
    weights, coherences = bands[WEIGHT], bands[COHERENCE]
    for b in range(weights.shape[0]):
        own_share = min(1.0, bands[OWN, b] / (bands[HEARD, b] + _TINY))
        coherence = bands[BOTH, b] / math.sqrt(bands[HEARD, b] * bands[EARLIER, b] + _TINY)
        alike = min(1.0, max(0.0, coherence / max(own_share, 1e-3)))
        noise = (1.0 - own_share) / max(own_share, 1e-3)
        right = noise / (noise + CHANGED * (1.0 - alike) + 1e-9)
        coherences[b] = max(0.0, coherence)
        weights[b] = strength * coherences[b] ** 2 * right
    for k in range(places.shape[0]):
        weight = _between(weights, places[k])
        whole = 1.0 / (1.0 + weight)
        for c in range(spectra.shape[0]):
            now, then = spectra[c, k], earlier[c, k]
            spectra[c, k] = complex(
                whole * (now.real + weight * then.real), whole * (now.imag + weight * then.imag)
            )


@kernel
def keep_what_repeats(
    gains: Floats, room_gains: Floats, strength: float, places: Floats, bands: Floats
) -> None:
    """Raise ``gains`` (bins,), in place, to that of Wiener for what repeats and is not the room: the share of the power that has coherence, times
    the share that ``room_gains`` leave. ``strength`` 0 to 1 is how far; ``bands`` are those that ``average`` has left. Strokes and
    steady noise do not repeat with a voice's period, whatever the voice model makes of them."""
    for k in range(places.shape[0]):
        least = strength * _between(bands[COHERENCE], places[k]) * room_gains[k] ** 2
        gains[k] = max(gains[k], least)


def places_of_bins(window_frames: int) -> Floats:
    """Where each bin of a real FFT of ``window_frames`` lies among the corners, as far as they go: a whole number on one of them."""
    hz = np.arange(window_frames // 2 + 1) * SAMPLE_RATE_HZ / window_frames
    corners = np.arange(COMB_BANDS, dtype=np.float64)
    places: Floats = np.interp(hz[hz < CORNERS_HZ[-1]], CORNERS_HZ, corners)
    return places


def voiced_bins(window_frames: int) -> tuple[int, int]:
    """The bins of a real FFT of ``window_frames`` in which periods are sought: the first, and the first above."""
    hz = SAMPLE_RATE_HZ / window_frames
    return math.ceil(VOICED_FROM_HZ / hz), math.ceil(VOICED_TO_HZ / hz)

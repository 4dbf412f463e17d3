"""Second-order filters whose response follows the analogue prototype up to 16 kHz.

Poles come from the analogue poles by impulse invariance (s → e^s); the zeros are then chosen so that the
response matches the prototype at three places (M. Vicanek, "Matched Second Order Digital Filters", 2016).
The prototypes are those of R. Bristow-Johnson's *Audio EQ Cookbook* (bells, shelves) and of Butterworth
(high- and low-pass). A cut is the inverse of the boost, so that the two cancel.

All functions give b0, b1, b2, a1, a2 with a0 = 1.
"""

import math

import numpy as np

from goshawk.core.stage import Floats
from goshawk.units import SAMPLE_RATE_HZ

BUTTERWORTH_Q = {12: (math.sqrt(0.5),), 24: (0.541196100146197, 1.306562964876377)}
"""Q of the sections of a Butterworth filter of 12 or 24 dB per octave."""

SHELF_Q = math.sqrt(0.5)
"""The steepest shelf without a bump."""

HIGH_SHELF_MATCH = 0.7
LOW_PASS_MATCH_HZ = 14_000.0
"""Where, besides 0 Hz and half the rate, shelf (as a share of its frequency) and low-pass are matched: found
by trying; the greatest deviation up to 16 kHz is then least over all settings."""

UNITY = np.array([1.0, 0.0, 0.0, 0.0, 0.0])


def _poles(q: float, w0: float) -> tuple[float, float]:
    """a1 and a2 for the analogue poles s² + s/q + 1, at w0 in radians per sample."""
    damping = 1.0 / (2.0 * q)
    if damping <= 1.0:
        middle = math.cos(math.sqrt(1.0 - damping**2) * w0)
    else:
        middle = math.cosh(math.sqrt(damping**2 - 1.0) * w0)
    return -2.0 * math.exp(-damping * w0) * middle, math.exp(-2.0 * damping * w0)


def _phi(w: float) -> tuple[float, float, float]:
    """cos²(w/2), sin²(w/2) and sin²(w): the power response is a weighted sum of these."""
    p1 = math.sin(w / 2.0) ** 2
    return 1.0 - p1, p1, 4.0 * p1 * (1.0 - p1)


def _from_power(b_0: float, b_1: float, b_2: float, a1: float, a2: float) -> Floats:
    """Coefficients from the weights of the numerator's power response."""
    root_0, root_1 = math.sqrt(max(b_0, 0.0)), math.sqrt(max(b_1, 0.0))
    half = 0.5 * (root_0 + root_1)
    b0 = 0.5 * (half + math.sqrt(max(half**2 + b_2, 0.0)))
    return np.array([b0, 0.5 * (root_0 - root_1), -b_2 / (4.0 * b0), a1, a2])


def _denominator(a1: float, a2: float) -> tuple[float, float, float]:
    return (1.0 + a1 + a2) ** 2, (1.0 - a1 + a2) ** 2, -4.0 * a2


def _inverse(k: Floats) -> Floats:
    inverse: Floats = np.array([1.0, k[3], k[4], k[1], k[2]]) / k[0]
    return inverse


def _matched(
    numerator: tuple[float, float, float],
    denominator: tuple[float, float, float],
    frequency_hz: float,
    match_hz: float,
) -> Floats:
    """A prototype in s/ω0 (highest power first), matched at 0 Hz, half the rate and ``match_hz``."""
    scale = math.sqrt(denominator[2] / denominator[0])
    q = scale * denominator[0] / denominator[1]
    a1, a2 = _poles(q, 2.0 * math.pi * frequency_hz * scale / SAMPLE_RATE_HZ)

    def power(hz: float) -> float:
        s = 1j * hz / frequency_hz
        above = numerator[0] * s**2 + numerator[1] * s + numerator[2]
        below = denominator[0] * s**2 + denominator[1] * s + denominator[2]
        return abs(above / below) ** 2

    d0, d1, d2 = _denominator(a1, a2)
    p0, p1, p2 = _phi(2.0 * math.pi * match_hz / SAMPLE_RATE_HZ)
    b_0, b_1 = power(0.0) * d0, power(SAMPLE_RATE_HZ / 2.0) * d1
    b_2 = (power(match_hz) * (d0 * p0 + d1 * p1 + d2 * p2) - b_0 * p0 - b_1 * p1) / p2
    return _from_power(b_0, b_1, b_2, a1, a2)


def bell(frequency_hz: float, gain_db: float, q: float) -> Floats:
    """A bell: its peak stands at its frequency with its gain, and nothing happens at 0 Hz."""
    if gain_db == 0.0:
        return UNITY.copy()
    boost_db = abs(gain_db)
    w0 = 2.0 * math.pi * frequency_hz / SAMPLE_RATE_HZ
    a1, a2 = _poles(q * 10.0 ** (boost_db / 40.0), w0)
    d0, d1, d2 = _denominator(a1, a2)
    p0, p1, p2 = _phi(w0)
    peak = 10.0 ** (boost_db / 10.0)
    # The value and the slope of the power response at the peak.
    r1 = (d0 * p0 + d1 * p1 + d2 * p2) * peak
    r2 = (-d0 + d1 + 4.0 * (p0 - p1) * d2) * peak
    b_0 = d0
    b_2 = (r1 - r2 * p1 - b_0) / (4.0 * p1**2)
    b_1 = r2 + b_0 + 4.0 * (p1 - p0) * b_2
    k = _from_power(b_0, b_1, b_2, a1, a2)
    return k if gain_db > 0.0 else _inverse(k)


def low_shelf(frequency_hz: float, gain_db: float) -> Floats:
    """Everything below the frequency by the gain; half of it at the frequency."""
    if gain_db == 0.0:
        return UNITY.copy()
    a = 10.0 ** (abs(gain_db) / 40.0)
    root = math.sqrt(a) / SHELF_Q
    k = _matched((a, a * root, a * a), (a, root, 1.0), frequency_hz, frequency_hz)
    return k if gain_db > 0.0 else _inverse(k)


def high_shelf(frequency_hz: float, gain_db: float) -> Floats:
    """Everything above the frequency by the gain; half of it at the frequency."""
    if gain_db == 0.0:
        return UNITY.copy()
    a = 10.0 ** (abs(gain_db) / 40.0)
    root = math.sqrt(a) / SHELF_Q
    match_hz = HIGH_SHELF_MATCH * frequency_hz
    k = _matched((a * a, a * root, a), (1.0, root, a), frequency_hz, match_hz)
    return k if gain_db > 0.0 else _inverse(k)


def high_pass(frequency_hz: float, q: float) -> Floats:
    """One section of a high-pass, 12 dB per octave."""
    return _matched((1.0, 0.0, 0.0), (1.0, 1.0 / q, 1.0), frequency_hz, frequency_hz)


def low_pass(frequency_hz: float, q: float) -> Floats:
    """One section of a low-pass, 12 dB per octave."""
    return _matched((0.0, 0.0, 1.0), (1.0, 1.0 / q, 1.0), frequency_hz, LOW_PASS_MATCH_HZ)


def response_db(sections: Floats, frequencies_hz: Floats) -> Floats:
    """Gain in dB of sections of shape (n, 5) in a row at frequencies of shape (m,)."""
    z = np.exp(-2j * np.pi * np.asarray(frequencies_hz, float) / SAMPLE_RATE_HZ)[None, :]
    k = np.atleast_2d(sections)[:, :, None]
    h = (k[:, 0] + k[:, 1] * z + k[:, 2] * z**2) / (1.0 + k[:, 3] * z + k[:, 4] * z**2)
    gain: Floats = 20.0 * np.log10(np.maximum(np.abs(h), 1e-9)).sum(axis=0)
    return gain

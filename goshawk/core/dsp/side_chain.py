"""The high-pass in front of a detector, so that rumble and thumps do not steer the gain.

A second-order Butterworth high-pass by the bilinear transform with pre-warping: R. Bristow-Johnson,
"Audio EQ Cookbook" (W3C Note 2021), HPF with Q = 1/sqrt(2), in transposed direct form II.
"""

import math

import numpy as np

from goshawk.core.stage import TINY, Floats, kernel
from goshawk.units import SAMPLE_RATE_HZ


def high_pass_coefficients(frequency_hz: float, sample_rate_hz: int = SAMPLE_RATE_HZ) -> Floats:
    """b0, b1, b2, a1, a2 with a0 = 1 of the Butterworth high-pass."""
    w0 = 2.0 * math.pi * frequency_hz / sample_rate_hz
    alpha = math.sin(w0) / math.sqrt(2.0)
    cos = math.cos(w0)
    b = (1.0 + cos) / 2.0
    return np.array([b, -2.0 * b, b, -2.0 * cos, 1.0 - alpha]) / (1.0 + alpha)


@kernel
def filter_sample(x: float, k: Floats, z: Floats) -> float:
    """One sample through a biquad; ``z`` holds its two state values."""
    y = k[0] * x + z[0]
    z[0] = k[1] * x - k[3] * y + z[1]
    z[1] = k[2] * x - k[4] * y
    if abs(z[0]) < TINY:
        z[0] = 0.0
    if abs(z[1]) < TINY:
        z[1] = 0.0
    return float(y)

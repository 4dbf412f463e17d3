"""The high-pass in front of a detector, so that rumble and thumps do not steer the gain.

A second-order Butterworth high-pass by the bilinear transform with pre-warping: R. Bristow-Johnson,
"Audio EQ Cookbook" (W3C Note 2021), HPF with Q = 1/sqrt(2), in transposed direct form II.
"""

import math

import numpy as np

from goshawk.core.compiled import kernel
from goshawk.core.stage import TINY, Block, Floats
from goshawk.units import SAMPLE_RATE_HZ


def high_pass_coefficients(frequency_hz: float, sample_rate_hz: int = SAMPLE_RATE_HZ) -> Floats:
    """b0, b1, b2, a1, a2 with a0 = 1 of the Butterworth high-pass."""
    w0 = 2.0 * math.pi * frequency_hz / sample_rate_hz
    alpha = math.sin(w0) / math.sqrt(2.0)
    cos = math.cos(w0)
    b = (1.0 + cos) / 2.0
    return np.array([b, -2.0 * b, b, -2.0 * cos, 1.0 - alpha]) / (1.0 + alpha)


@kernel
def loudest(block: Block, k: Floats, z: Floats, out: Floats) -> None:
    """The greatest magnitude over the channels of each frame behind the high-pass, into ``out``; ``z`` of shape
    (channels, 2). What is left of a sound is let go once a block: no detector tells 1e-20 from nothing."""
    k0, k1, k2, k3, k4 = k[0], k[1], k[2], k[3], k[4]
    frames = block.shape[0]
    for n in range(frames):
        out[n] = 0.0
    for c in range(block.shape[1]):
        z0, z1 = z[c, 0], z[c, 1]
        for n in range(frames):
            x = float(block[n, c])
            y = k0 * x + z0
            z0 = k1 * x - k3 * y + z1
            z1 = k2 * x - k4 * y
            out[n] = max(out[n], abs(y))
        z[c, 0] = z0 if abs(z0) > TINY else 0.0
        z[c, 1] = z1 if abs(z1) > TINY else 0.0


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

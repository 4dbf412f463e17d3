"""Crossovers whose bands add up flat.

S. H. Linkwitz, "Active Crossover Networks for Noncoincident Drivers", J. Audio Eng. Soc. 24(1), 1976, of
fourth order: two Butterworth filters in a row on either side, which add up to an allpass. They are made
by the bilinear transform (Bristow-Johnson's cookbook), under which that sum stays exact at every frequency.
"""

import numpy as np

from goshawk.core.dsp.side_chain import high_pass_coefficients
from goshawk.core.stage import Floats


def _low_pass(frequency_hz: float) -> Floats:
    """Second-order Butterworth with the same poles as ``high_pass_coefficients``."""
    k = high_pass_coefficients(frequency_hz)
    b = (1.0 + k[3] + k[4]) / 4.0
    return np.array([b, 2.0 * b, b, k[3], k[4]])


def _all_pass(frequency_hz: float) -> Floats:
    """What the two sides of a crossover add up to."""
    k = high_pass_coefficients(frequency_hz)
    return np.array([k[4], k[3], 1.0, k[3], k[4]])


def two_bands(frequency_hz: float) -> tuple[Floats, Floats]:
    """Sections of the lower and the upper band, each of shape (2, 5)."""
    low, high = _low_pass(frequency_hz), high_pass_coefficients(frequency_hz)
    return np.array([low, low]), np.array([high, high])


def three_bands(lower_hz: float, upper_hz: float) -> tuple[Floats, Floats, Floats]:
    """Sections of three bands: (3, 5), (4, 5) and (4, 5). The lowest passes the allpass that the other
    two add up to, so that all three do."""
    low, rest = two_bands(lower_hz)
    middle, high = two_bands(upper_hz)
    return (
        np.concatenate([low, [_all_pass(upper_hz)]]),
        np.concatenate([rest, middle]),
        np.concatenate([rest, high]),
    )

"""Logarithms, powers and sums of products for kernels that need one a sample or a bin, several times quicker than the C library's.

log2: the exponent is read off the number, the mantissa m (from 1/√2 to √2) goes through
ln m = 2 artanh((m - 1)/(m + 1)); exp2: the whole part goes into the exponent, the rest through the series of exp:
M. Abramowitz and I. A. Stegun, *Handbook of Mathematical Functions* (1964), 4.1.27 and 4.2.1. Cut off so that log2 is
right to 1e-9 and exp2 to 1e-9 of its value. There is no branch in them, so that a loop over bins runs in vector
instructions. Arguments are finite; log2's are positive and normal, exp2's between -1000 and 1000.
"""

from goshawk.core.compiled import bits_of, inlined, of_bits, summing
from goshawk.core.stage import Floats

_ONE = 0x3FF0000000000000
_HALF_ROOT = 0x3FE6A09E667F3BCD
"""The bits of √½: numbers are taken apart so that the mantissa lies around 1."""

_TWO_OVER_LN2 = 2.8853900817779268
_LN2 = 0.6931471805599453
_DB_PER_OCTAVE = 6.020599913279624
_ROUNDER = 6755399441055744.0
"""1.5 · 2^52: adding and taking it away again rounds to a whole number, which then stands in the lowest bits."""


@inlined
def log2(x: float) -> float:
    """The logarithm to base 2 of a positive, normal number."""
    bits = bits_of(x)
    shifted = bits - _HALF_ROOT
    exponent = shifted >> 52
    m: float = of_bits(bits - (exponent << 52))
    s = (m - 1.0) / (m + 1.0)
    q = s * s
    series = 1.0 + q * (1.0 / 3.0 + q * (1.0 / 5.0 + q * (1.0 / 7.0 + q * (1.0 / 9.0 + q / 11.0))))
    whole: float = float(exponent)
    return whole + _TWO_OVER_LN2 * s * series


@inlined
def exp2(x: float) -> float:
    """2 to the power of x."""
    rounded = x + _ROUNDER
    whole = rounded - _ROUNDER
    f = (x - whole) * _LN2
    series = 1.0 + f * (
        1.0
        + f
        * (
            1.0 / 2.0
            + f
            * (
                1.0 / 6.0
                + f
                * (
                    1.0 / 24.0
                    + f * (1.0 / 120.0 + f * (1.0 / 720.0 + f * (1.0 / 5040.0 + f / 40320.0)))
                )
            )
        )
    )
    # The whole number stands in the lowest bits of what was rounded; it is the exponent.
    power: float = of_bits((bits_of(rounded) << 52) + _ONE)
    return series * power


@inlined
def amplitude_db(x: float) -> float:
    """20 log10 of a positive, normal number."""
    return _DB_PER_OCTAVE * log2(x)


@inlined
def power_db(x: float) -> float:
    """10 log10 of a positive, normal number."""
    return 0.5 * _DB_PER_OCTAVE * log2(x)


@inlined
def amplitude(db: float) -> float:
    """The amplitude of a level in dB."""
    return exp2(db * (1.0 / _DB_PER_OCTAVE))


@summing
def dot(one: Floats, other: Floats) -> float:
    """The sum of products of two lines of the same length."""
    total = 0.0
    for i in range(one.shape[0]):
        total += one[i] * other[i]
    return total

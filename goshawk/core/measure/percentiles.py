"""Percentiles of a few thousand values, several times quicker than the general function."""

import numpy as np

from goshawk.core.stage import Floats


def percentiles(values: Floats, *wanted: float) -> list[float]:
    """Percentiles by linear interpolation between the nearest ranks (R. J. Hyndman, Y. Fan, "Sample Quantiles in
    Statistical Packages", The American Statistician 50(4), 1996, definition 7) of at least one finite value."""
    ordered = np.sort(values)
    last = len(ordered) - 1
    found = []
    for one in wanted:
        place = last * one / 100.0
        below = min(int(place), last)
        above = min(below + 1, last)
        low, high = float(ordered[below]), float(ordered[above])
        found.append(low + (high - low) * (place - below))
    return found


def median(values: Floats) -> float:
    """The middle one."""
    return percentiles(values, 50.0)[0]

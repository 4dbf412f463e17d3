"""The greatest of the last values of a stream, in constant mean time per value.

The monotonic-queue form of the running maximum; see D. Lemire, "Streaming maximum-minimum filter
using no more than three comparisons per element", Nordic Journal of Computing 13 (2006).
"""

import numpy as np
from numpy.typing import NDArray

from goshawk.core.compiled import kernel
from goshawk.core.stage import Floats

Integers = NDArray[np.int64]


@kernel
def sliding_maximum(value: float, values: Floats, ages: Integers, ends: Integers) -> float:
    """Push a value and return the greatest of the last ones, one fewer than the rings have places.

    ``values`` and ``ages`` are rings; ``ends`` holds the queue's
    head, its length and the running number of the next value.
    """
    size = values.shape[0]
    head, length, number = ends[0], ends[1], ends[2]
    # Places are wrapped by comparison: a remainder costs more than all the rest.
    tail = head + length
    if tail >= size:
        tail -= size
    while length > 0:
        last = tail - 1 if tail > 0 else size - 1
        if values[last] > value:
            break
        tail = last
        length -= 1
    values[tail] = value
    ages[tail] = number
    length += 1
    if ages[head] <= number - (size - 1):
        head = head + 1 if head + 1 < size else 0
        length -= 1
    ends[0], ends[1], ends[2] = head, length, number + 1
    return float(values[head])


class SlidingMaximum:
    """The arrays that ``sliding_maximum`` works on."""

    def __init__(self, window: int) -> None:
        self.values = np.zeros(window + 1)
        self.ages = np.zeros(window + 1, np.int64)
        self.ends = np.zeros(3, np.int64)

    @property
    def arrays(self) -> tuple[Floats, Integers, Integers]:
        """As ``sliding_maximum`` takes them."""
        return self.values, self.ages, self.ends

    def reset(self) -> None:
        """Forget all values."""
        self.ends.fill(0)

"""A ring of frames between a device and the engine: one side writes, the other reads, neither ever waits.

What runs at the device's side (in its callback, in whatever thread) is compiled and touches nothing but the ring. A reader
that finds too little gives silence, and lets what waits grow to its target again; one that finds far too much goes on with
the newest. Both are counted.
"""

import numpy as np

from goshawk.core.compiled import kernel
from goshawk.core.stage import Block
from goshawk.core.steps import Integers

RING_FRAMES = 1 << 15
"""Of every ring: 0.68 s at 48 kHz."""

WRITTEN, READ, AT_NS, TARGET, IS_PRIMED, DROPOUTS, OVERRUNS, FIRST, RING_FIELDS = range(9)
"""A ring's numbers: frames ever written and read; when the device's side last did, by the system's monotonic clock; how many
frames are to wait in it; whether so many have been there (a capture: whether anything has come); how often there were too
few and too many; the first of the device's channels that are meant, from 0 on."""

MASK = RING_FRAMES - 1


class Ring:
    """Frames of two channels between one writer and one reader, planar, each lying twice so that a run never wraps."""

    def __init__(self, first: int = 0) -> None:
        self.numbers = np.zeros(RING_FIELDS, np.int64)
        self.numbers[FIRST] = first
        self.sound = np.zeros((2, 2 * RING_FRAMES), np.float32)

    @property
    def waiting(self) -> int:
        """Frames written and not read."""
        return int(self.numbers[WRITTEN] - self.numbers[READ])


@kernel
def put(ring: Block, number: int, left: float, right: float) -> None:
    """The frame with a number."""
    at = number & MASK
    ring[0, at] = ring[0, at + RING_FRAMES] = left
    ring[1, at] = ring[1, at + RING_FRAMES] = right


@kernel
def give(ring: Block, numbers: Integers, block: Block, now_ns: int) -> None:
    """The device's side of a capture: a block of all its channels that was captured until now."""
    frames, written = block.shape[0], numbers[WRITTEN]
    left = min(numbers[FIRST], block.shape[1] - 1)
    right = min(left + 1, block.shape[1] - 1)
    for n in range(frames):
        put(ring, written + n, float(block[n, left]), float(block[n, right]))
    numbers[AT_NS] = now_ns
    numbers[IS_PRIMED] = 1
    numbers[WRITTEN] = written + frames


@kernel
def take(ring: Block, numbers: Integers, block: Block, now_ns: int) -> None:
    """The device's side of an output: fill a block of all its channels that plays from now on. A device with one channel
    gets the mean of both."""
    frames, channels = block.shape
    target, left = max(numbers[TARGET], frames), numbers[FIRST]
    waiting = numbers[WRITTEN] - numbers[READ]
    if numbers[IS_PRIMED] == 0 and waiting >= target:
        numbers[IS_PRIMED] = 1
        numbers[READ] = numbers[WRITTEN] - target
    elif numbers[IS_PRIMED] == 1 and waiting > 2 * target + RING_FRAMES // 4:
        numbers[OVERRUNS] += 1
        numbers[READ] = numbers[WRITTEN] - target
    there = 0
    if numbers[IS_PRIMED] == 1:
        there = min(frames, numbers[WRITTEN] - numbers[READ])
        if there < frames:
            numbers[DROPOUTS] += 1
            numbers[IS_PRIMED] = 0
    read = numbers[READ]
    for n in range(frames):
        for c in range(channels):
            block[n, c] = np.float32(0.0)
        if n < there:
            at = (read + n) & MASK
            if channels == 1:
                block[n, 0] = np.float32(0.5) * (ring[0, at] + ring[1, at])
            elif left + 1 < channels:
                block[n, left], block[n, left + 1] = ring[0, at], ring[1, at]
            else:
                block[n, channels - 1] = np.float32(0.5) * (ring[0, at] + ring[1, at])
    numbers[AT_NS] = now_ns
    numbers[READ] = read + there

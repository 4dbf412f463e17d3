"""A delay of whole frames whose length can change without a click.

A change crossfades between the old and the new tap over CROSSFADE_MS with a raised cosine.
"""

import math

import numpy as np

from goshawk.core.compiled import kernel
from goshawk.core.steps import Block, Integers, Step
from goshawk.units import SAMPLE_RATE_HZ, ms_to_frames

CROSSFADE_MS = 20.0

RUN_FRAMES = 512
"""The ring is so much longer than the delay: as many frames are moved at once."""

POSITION, OLD, NEW, FADE, WANTED, FADE_FRAMES = range(6)
"""Place in the ring where the next frame goes; the tap in use, the one that is faded to, frames of the fade that are
left, the tap that is wanted, and a fade's length."""


@kernel
def copy_frames(source: Block, target: Block) -> None:
    """All of one block into another of the same shape."""
    flat, out = source.reshape(-1), target.reshape(-1)
    for i in range(flat.shape[0]):
        out[i] = flat[i]


@kernel
def delay(block: Block, ring: Block, counts: Integers) -> None:
    """One block through the ring, in place; ``counts`` as named above."""
    frames, channels = block.shape
    if counts[FADE] == 0 and counts[NEW] != counts[WANTED]:
        counts[NEW] = counts[WANTED]
        counts[FADE] = counts[FADE_FRAMES]
    position, old, new = counts[POSITION], counts[OLD], counts[NEW]
    fade, fade_frames = counts[FADE], counts[FADE_FRAMES]
    size = ring.shape[0]
    start = 0
    while fade == 0 and start < frames:
        # At rest: in runs in which neither place reaches the ring's end.
        back = position - new + (size if position < new else 0)
        # A run writes over nothing that it reads, and reads nothing that it writes.
        run = min(frames - start, size - position, size - back, size - new)
        run = min(run, new) if new > 0 else run
        copy_frames(block[start : start + run], ring[position : position + run])
        if new > 0:
            copy_frames(ring[back : back + run], block[start : start + run])
        old = new
        start += run
        position += run
        if position == size:
            position = 0
    for n in range(start, frames):
        weight = 1.0
        if fade > 0:
            weight = 0.5 + 0.5 * math.cos(math.pi * fade / fade_frames)
            fade -= 1
        fresh_at = position - new + (size if position < new else 0)
        stale_at = position - old + (size if position < old else 0)
        for c in range(channels):
            ring[position, c] = block[n, c]
            fresh = ring[fresh_at, c]
            if weight < 1.0:
                stale = ring[stale_at, c]
                block[n, c] = np.float32(weight * fresh + (1.0 - weight) * stale)
            else:
                block[n, c] = fresh
        if fade == 0:
            old = new
        position += 1
        if position == size:
            position = 0
    counts[POSITION], counts[OLD], counts[FADE] = position, old, fade


class Delay:
    """Delays blocks of shape (frames, channels) by 0 to ``longest_frames``."""

    def __init__(self, channels: int, longest_frames: int, frames: int = 0) -> None:
        self._ring = np.zeros((longest_frames + RUN_FRAMES, channels), np.float32)
        self._longest_frames = longest_frames
        self._counts = np.zeros(6, np.int64)
        self._counts[[OLD, NEW, WANTED]] = min(frames, longest_frames)
        self._counts[FADE_FRAMES] = ms_to_frames(CROSSFADE_MS, SAMPLE_RATE_HZ)
        self.arrays = self._ring, self._counts
        """What ``delay`` takes after the block."""
        self.step = Step(delay, *self.arrays)

    @property
    def frames(self) -> int:
        """The delay that is set."""
        return int(self._counts[WANTED])

    def set_frames(self, frames: int) -> None:
        """Change the delay. A fade that is running ends first, then the newest wish is faded to."""
        self._counts[WANTED] = max(0, min(frames, self._longest_frames))

    def process(self, block: Block) -> Block:
        """Delay the block in place."""
        delay(block, *self.arrays)
        return block

    def forget_older(self) -> None:
        """Fill with silence what has been given out already: a longer delay must not bring it back."""
        keep = int(self._counts[[OLD, NEW, WANTED]].max())
        size, position = self._ring.shape[0], int(self._counts[POSITION])
        first, end = position, position + size - keep
        self._ring[first : min(end, size)] = 0.0
        self._ring[: max(0, end - size)] = 0.0

    def reset(self) -> None:
        """Fill with silence."""
        self._ring.fill(0.0)
        self._counts[[OLD, NEW]] = self._counts[WANTED]
        self._counts[FADE] = 0

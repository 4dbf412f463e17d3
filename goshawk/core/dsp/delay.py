"""A delay of whole frames whose length can change without a click.

A change crossfades between the old and the new tap over CROSSFADE_MS with a raised cosine.
"""

import math

import numpy as np

from goshawk.core.compiled import kernel
from goshawk.core.stage import Block
from goshawk.units import SAMPLE_RATE_HZ, ms_to_frames

CROSSFADE_MS = 20.0


@kernel
def _delay(
    block: Block, ring: Block, position: int, old: int, new: int, fade: int, fade_frames: int
) -> tuple[int, int, int]:
    """One block through the ring; returns position, the tap now in use and the fade left."""
    frames, channels = block.shape
    size = ring.shape[0]
    start = 0
    while fade == 0 and start < frames:
        # At rest: in runs in which neither place reaches the ring's end.
        back = position - new + (size if position < new else 0)
        run = min(frames - start, size - position, size - back)
        if new == 0:
            for i in range(run):
                for c in range(channels):
                    ring[position + i, c] = block[start + i, c]
        else:
            for i in range(run):
                for c in range(channels):
                    ring[position + i, c] = block[start + i, c]
                    block[start + i, c] = ring[back + i, c]
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
    return position, old, fade


class Delay:
    """Delays blocks of shape (frames, channels) by 0 to ``longest_frames``."""

    def __init__(self, channels: int, longest_frames: int, frames: int = 0) -> None:
        self._ring = np.zeros((longest_frames + 1, channels), np.float32)
        self._position = 0
        self._wanted = self._old = self._new = min(frames, longest_frames)
        self._fade = 0
        self._fade_frames = ms_to_frames(CROSSFADE_MS, SAMPLE_RATE_HZ)

    @property
    def frames(self) -> int:
        """The delay that is set."""
        return self._wanted

    def set_frames(self, frames: int) -> None:
        """Change the delay. A fade that is running ends first, then the newest wish is faded to."""
        self._wanted = max(0, min(frames, self._ring.shape[0] - 1))

    def process(self, block: Block) -> Block:
        """Delay the block in place."""
        if self._fade == 0 and self._new != self._wanted:
            self._new = self._wanted
            self._fade = self._fade_frames
        self._position, self._old, self._fade = _delay(
            block, self._ring, self._position, self._old, self._new, self._fade, self._fade_frames
        )
        return block

    def forget_older(self) -> None:
        """Fill with silence what has been given out already: a longer delay must not bring it back."""
        keep = max(self._old, self._new, self._wanted)
        size = self._ring.shape[0]
        first, end = self._position, self._position + size - keep
        self._ring[first : min(end, size)] = 0.0
        self._ring[: max(0, end - size)] = 0.0

    def reset(self) -> None:
        """Fill with silence."""
        self._ring.fill(0.0)
        self._old = self._new = self._wanted
        self._fade = 0

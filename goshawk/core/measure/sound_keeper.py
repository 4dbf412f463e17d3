"""The newest seconds of one signal, in the pieces in which it came."""

from collections import deque

import numpy as np

from goshawk.core.stage import Block
from goshawk.units import SAMPLE_RATE_HZ


class SoundKeeper:
    """Keeps at least the last ``seconds`` of what is pushed."""

    def __init__(self, seconds: float) -> None:
        self._most = round(seconds * SAMPLE_RATE_HZ)
        self.forget()

    def forget(self) -> None:
        """Begin anew."""
        self._pieces: deque[Block] = deque()
        self.frames = 0

    def push(self, piece: Block) -> None:
        """Keep more, shape (frames, channels)."""
        self._pieces.append(piece)
        self.frames += len(piece)
        while self.frames - len(self._pieces[0]) > self._most:
            self.frames -= len(self._pieces.popleft())

    def newest(self, frames: int) -> Block:
        """The last ``frames``, or what there is."""
        wanted, there = [], 0
        for piece in reversed(self._pieces):
            if there >= frames:
                break
            wanted.append(piece)
            there += len(piece)
        if not wanted:
            return np.zeros((0, 2), np.float32)
        newest: Block = np.concatenate(wanted[::-1])[-frames:]
        return newest
